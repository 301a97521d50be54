import type { ProblemDocument } from '../shared/problems.ts';

/** What can be sent as a body as it is. */
export type Upload = NonNullable<RequestInit['body']>;
export type Query = Record<string, string | number | boolean | null | undefined>;

export interface ClientOptions {
  /** Where the service is, as `http://127.0.0.1:7400`; empty in the console. */
  base: string;
  /** API token of a program. The console has a session cookie instead, and the token against forged requests. */
  token?: string;
  csrf?: () => string | null;
  fetch?: typeof fetch;
}

/** A refusal of the service: its problem document (RFC 9457). */
export class Refusal extends Error {
  readonly problem: ProblemDocument;

  constructor(problem: ProblemDocument) {
    super(problem.detail);
    this.problem = problem;
  }
}

/** Code of a refusal, the last part of its type. */
export function refusalCode(problem: ProblemDocument): string {
  return problem.type.split('#')[1] ?? 'failed';
}

/** A type and not an interface: an interface has no index signature and would not pass as a query. */
export type PageOptions = {
  cursor?: string;
  limit?: number;
};

interface Sending {
  query?: Query;
  body?: unknown;
  raw?: Upload;
  type?: string;
  stream?: boolean;
}

/** How the groups of calls reach the service: every call answers the parsed body or throws a Refusal. */
export type Calls = ReturnType<typeof makeCalls>;

/** Calls of the API with its base address and credentials. Each throws Refusal with the service’s own problem when it refuses. */
export function makeCalls(options: ClientOptions) {
  const send = makeSender(options);
  return {
    send,
    get: <T>(path: string, query?: Query): Promise<T> => send('GET', path, { query }),
    post: <T>(path: string, body: unknown = {}): Promise<T> => send('POST', path, { body }),
  };
}

function makeSender(options: ClientOptions): <T>(method: string, path: string, sending: Sending) => Promise<T> {
  const call = options.fetch ?? fetch;
  return async <T>(method: string, path: string, sending: Sending): Promise<T> => {
    const headers: Record<string, string> = { accept: 'application/json' };
    if (options.token) headers['authorization'] = `Bearer ${options.token}`;
    const csrf = options.csrf?.();
    if (csrf && method !== 'GET') headers['x-avendel-csrf'] = csrf;
    const body = sending.raw ?? (sending.body === undefined ? undefined : JSON.stringify(sending.body));
    if (body !== undefined) headers['content-type'] = sending.type ?? 'application/json';
    const url = `${options.base}/api/v1${path}${queryText(sending.query)}`;
    const streams = typeof body === 'object' ? ({ duplex: 'half' } as RequestInit) : {};
    const response = await call(url, { method, headers, body, ...streams });
    if (!response.ok) throw new Refusal(await readProblem(response));
    if (sending.stream) return response as T;
    return (response.status === 204 ? undefined : await response.json()) as T;
  };
}

async function readProblem(response: Response): Promise<ProblemDocument> {
  try {
    return (await response.json()) as ProblemDocument;
  } catch {
    return {
      type: '/docs/problems#failed',
      title: 'The service answered something unexpected',
      status: response.status,
      detail: `HTTP ${response.status} ${response.statusText}`,
      next: 'Look at the log of the service.',
    };
  }
}

function queryText(query: Query | undefined): string {
  const given = Object.entries(query ?? {}).filter(([, value]) => value !== undefined && value !== null);
  return given.length === 0
    ? ''
    : `?${new URLSearchParams(Object.fromEntries(given.map(([key, value]) => [key, String(value)]))).toString()}`;
}
