import type { Upload } from '../shared/contract/contract.ts';
import type { ProblemDocument } from '../shared/problems.ts';

/** The beginning of a file: more than any header with its first rows, and as much as the service looks at. */
export const beginningOf = (file: Blob): Blob => file.slice(0, 64 * 1024);

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

interface Sending {
  query?: Query;
  body?: unknown;
  file?: Upload;
  /** Media type of the file. */
  type?: string;
}

/** Sends one request: answers the parsed body, or the response where it is a file. @throws Refusal */
export type Sender = (method: string, path: string, sending: Sending) => Promise<unknown>;

/** Requests to the service with its base address and credentials. */
export function makeSender(options: ClientOptions): Sender {
  const call = options.fetch ?? fetch;
  return async (method, path, sending) => {
    const headers: Record<string, string> = { accept: 'application/json' };
    if (options.token) headers['authorization'] = `Bearer ${options.token}`;
    const csrf = options.csrf?.();
    if (csrf && method !== 'GET') headers['x-avendel-csrf'] = csrf;
    const body = sending.file ?? (sending.body === undefined ? undefined : JSON.stringify(sending.body));
    if (body !== undefined) headers['content-type'] = sending.type ?? 'application/json';
    const url = `${options.base}/api/v1${path}${queryText(sending.query)}`;
    const streams = typeof body === 'object' ? ({ duplex: 'half' } as RequestInit) : {};
    const response = await call(url, { method, headers, body, ...streams });
    if (!response.ok) throw new Refusal(await readProblem(response));
    if (response.status === 204) return undefined;
    return response.headers.get('content-type')?.startsWith('application/json') ? response.json() : response;
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
