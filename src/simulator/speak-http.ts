import type { ProblemDocument } from '../shared/problems.ts';

/** The service's API as the simulator speaks it: plain HTTP, like any other program. */
export interface Api {
  get<T>(path: string): Promise<T>;
  post<T>(path: string, body: unknown): Promise<T>;
  patch<T>(path: string, body: unknown): Promise<T>;
  /** Sends a text as it is. */
  upload<T>(path: string, text: string, type: string): Promise<T>;
}

/** Speaks with the service under an API token. @throws an error with the service's own words when it refuses */
export function speakHttp(base: string, token: string): Api {
  const call = async <T>(method: string, path: string, body?: string, type = 'application/json'): Promise<T> => {
    const headers = { authorization: `Bearer ${token}`, ...(body === undefined ? {} : { 'content-type': type }) };
    const response = await fetch(`${base}/api/v1${path}`, { method, headers, body });
    const answer: unknown = response.status === 204 ? undefined : await response.json();
    if (!response.ok) throw new Error(`${method} ${path}: ${(answer as ProblemDocument).detail}`);
    return answer as T;
  };
  return {
    get: (path) => call('GET', path),
    post: (path, body) => call('POST', path, JSON.stringify(body)),
    patch: (path, body) => call('PATCH', path, JSON.stringify(body)),
    upload: (path, text, type) => call('POST', path, text, type),
  };
}
