import { makeClient } from '../../client/client.ts';

let csrf: string | null = null;

/** The console's client: the session cookie goes along by itself, the token against forged requests is kept here. */
export const client = makeClient({ base: '', csrf: () => csrf, fetch: (...request) => fetch(...request) });

export function keepCsrf(token: string | null): void {
  csrf = token;
}
