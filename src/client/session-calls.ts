import type { TokenScope } from '../shared/access.ts';
import type * as api from '../shared/api.ts';
import type { Retention, RetentionState } from '../shared/retention.ts';
import type { Calls, PageOptions } from './calls.ts';

/** Signing in, what may speak to the service, and for how long things are kept. */
export function makeSessionCalls({ get, post, send }: Calls) {
  return {
    signIn: (email: string, password: string) => post<api.SignedIn>('/session', { email, password }),
    session: () => get<api.SignedIn>('/session'),
    signOut: () => send<void>('DELETE', '/session', {}),
    createToken: (
      email: string,
      password: string,
      wanted: { name: string; scope?: TokenScope; expiresAt?: string | null },
    ) => post<{ token: string; account: string }>('/tokens', { email, password, ...wanted }),
    tokens: (options: PageOptions = {}) => get<api.Page<api.ApiToken>>('/tokens', options),
    sessions: () => get<api.Session[]>('/sessions'),
    endSession: (id: number) => send<void>('DELETE', `/sessions/${id}`, {}),
    retention: () => get<RetentionState>('/retention'),
    saveRetention: (change: Partial<Retention>) => send<RetentionState>('PATCH', '/retention', { body: change }),
    rotateKeys: () => post<{ version: number; activeAt: string }>('/access/keys'),
    revokeToken: (id: number) => send<void>('DELETE', `/tokens/${id}`, {}),
    changePassword: (password: string, newPassword: string) =>
      post<void>('/session/password', { password, newPassword }),
  };
}
