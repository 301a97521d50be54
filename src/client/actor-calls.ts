import type * as returned from '../shared/api-returns.ts';
import type * as api from '../shared/api.ts';
import type { Calls, PageOptions } from './calls.ts';

/** Whose acts they are: activity, what it is judged by, and the addresses that look automated. */
export function makeActorCalls({ get, post, send }: Calls) {
  return {
    rebuildActivity: () => post<returned.RebuiltActivity>('/activity/rebuild'),
    previewRejudging: () => post<returned.RejudgePreview>('/activity/judge/preview'),
    rejudgeActs: (expect: number, reason: string) => post<api.Run>('/activity/judge', { expect, reason }),
    proxies: () => get<returned.ProxyList>('/proxies'),
    saveProxies: (list: returned.ProxyList) => send<returned.ProxyList>('PATCH', '/proxies', { body: list }),
    sites: () => get<returned.Sites>('/sites'),
    saveSites: (hosts: string[]) => send<returned.Sites>('PATCH', '/sites', { body: { hosts } }),
    automated: (filter: { state?: returned.AutomatedAddress['state'] } & PageOptions = {}) =>
      get<api.Page<returned.AutomatedAddress>>('/automated-addresses', filter),
    previewAutomated: (rule?: Partial<returned.AutomatedRule>) =>
      post<returned.AutomatedPreview>('/automated-addresses/preview', { rule }),
    applyAutomated: (expect: number, reason: string, rule?: Partial<returned.AutomatedRule>) =>
      post<api.Run>('/automated-addresses/apply', { rule, expect, reason }),
    judgeAutomated: (addresses: string[], as: 'person' | 'machine', reason: string) =>
      post<api.Run>('/automated-addresses/judge', { addresses, as, reason }),
  };
}
