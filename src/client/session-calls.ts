import type * as api from '../shared/api.ts';
import type { Calls, PageOptions } from './calls.ts';

/** Signing in, and what may speak to the service. */
export function makeSessionCalls({ get, post, send }: Calls) {
  return {
    signIn: (email: string, password: string) => post<api.SignedIn>('/session', { email, password }),
    session: () => get<api.SignedIn>('/session'),
    signOut: () => send<void>('DELETE', '/session', {}),
    createToken: (email: string, password: string, name: string) =>
      post<{ token: string; account: string }>('/tokens', { email, password, name }),
    tokens: (options: PageOptions = {}) => get<api.Page<api.ApiToken>>('/tokens', options),
    revokeToken: (id: number) => send<void>('DELETE', `/tokens/${id}`, {}),
    changePassword: (password: string, newPassword: string) =>
      post<void>('/session/password', { password, newPassword }),
  };
}
