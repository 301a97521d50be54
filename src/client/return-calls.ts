import type * as permission from '../shared/api-permission.ts';
import type * as returned from '../shared/api-returns.ts';
import type * as api from '../shared/api.ts';
import type { Calls, PageOptions, Upload } from './calls.ts';

export type NewMailbox = Pick<returned.Mailbox, 'name' | 'host' | 'account'> & { password?: string } & Partial<
    Pick<returned.Mailbox, 'port' | 'security' | 'folder' | 'brandId' | 'idles' | 'pollSeconds' | 'afterwards'>
  >;

/** What comes back, and events of other systems. */
export function makeReturnCalls({ get, post, send }: Calls) {
  return {
    recordEvents: (lines: string, unknown: 'refuse' | 'create' | 'keep' = 'refuse') =>
      send<returned.TakenEvents>('POST', '/events', { query: { unknown }, raw: lines, type: 'application/x-ndjson' }),
    eventsAside: (filter: { address?: string } & PageOptions = {}) =>
      get<api.Page<returned.EventAside>>('/events/aside', filter),
    takeEventsAside: () => post<{ recorded: number; refused: { id: number; detail: string }[] }>('/events/aside/take'),
    dropEventsAside: (address?: string) => post<{ dropped: number }>('/events/aside/drop', { address }),
    returns: (filter: { state?: string } & PageOptions = {}) => get<api.Page<returned.ReturnItem>>('/returns', filter),
    return: (id: number) => get<returned.ReturnItem & { message: string | null }>(`/returns/${id}`),
    receiveReturn: (message: Upload) => send<returned.ReceivedReturn>('POST', '/returns', { raw: message, type: 'message/rfc822' }), // prettier-ignore
    matchReturn: (id: number, of: { address: string; campaignId?: number }) => post<returned.ReceivedReturn>(`/returns/${id}/match`, of), // prettier-ignore
    returnCounts: (days = 30) => get<returned.ReturnCounts>('/returns/counts', { days }),
    mailboxes: () => get<returned.Mailbox[]>('/mailboxes'),
    keepMailbox: (settings: NewMailbox) => post<returned.Mailbox>('/mailboxes', settings),
    pauseMailbox: (id: number, paused: boolean) => post<returned.Mailbox>(`/mailboxes/${id}/pause`, { paused }),
    lookIntoMailbox: (id: number) => post<returned.Mailbox>(`/mailboxes/${id}/look`),
    removeMailbox: (id: number) => send<void>('DELETE', `/mailboxes/${id}`, {}),
    storms: (state?: returned.Storm['state']) => get<returned.Storm[]>('/storms', { state }),
    storm: (id: number) => get<returned.StormDetail>(`/storms/${id}`),
    stormRule: () => get<returned.StormRule>('/storm-rule'),
    saveStormRule: (change: Partial<returned.StormRule>) =>
      send<returned.StormRule>('PATCH', '/storm-rule', { body: change }),
    releaseStorm: (id: number, request: { expect: number; reason: string }) => post<api.Run>(`/storms/${id}/release`, request), // prettier-ignore
    dismissStorm: (id: number, reason: string) => post<void>(`/storms/${id}/dismiss`, { reason }),
    grantStop: (id: number) => post<permission.Unsubscribed>(`/returns/${id}/unsubscribe`),
    dismissReturn: (id: number) => post<void>(`/returns/${id}/dismiss`),
  };
}
