import type * as api from '../shared/api.ts';
import type { Calls } from './calls.ts';

/** Signing in. */
export function makeSessionCalls({ get, post, send }: Calls) {
  return {
    signIn: (email: string, password: string) => post<api.SignedIn>('/session', { email, password }),
    session: () => get<api.SignedIn>('/session'),
    signOut: () => send<void>('DELETE', '/session', {}),
    createToken: (email: string, password: string, name: string) =>
      post<{ token: string; account: string }>('/tokens', { email, password, name }),
  };
}
