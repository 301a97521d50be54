import type * as addresses from '../shared/api-addresses.ts';
import type * as permission from '../shared/api-permission.ts';
import type * as api from '../shared/api.ts';
import type { OutsideVerdict } from '../shared/words.ts';
import type { Calls, PageOptions, Upload } from './calls.ts';

/** The organisation, and all that keeps its contacts clean: permission, checks, verdicts, acts on many. */
export function makeIntakeCalls({ get, post, send }: Calls) {
  return {
    brands: () => get<api.Brand[]>('/brands'),
    createBrand: (brand: { name: string; fromAddress: string; returnDomain: string; zone?: string }) =>
      post<api.Brand>('/brands', brand),
    changeBrand: (id: number, change: Partial<Omit<api.Brand, 'id'>>) =>
      send<api.Brand>('PATCH', `/brands/${id}`, { body: change }),
    lists: () => get<api.List[]>('/lists'),
    listCounts: () => get<api.ListCount[]>('/lists/counts'),
    createList: (list: { brandId: number; name: string; optIn?: 'single' | 'double'; isPublic?: boolean }) =>
      post<api.List>('/lists', list),
    changeList: (
      id: number,
      change: Partial<Pick<api.List, 'name' | 'optIn' | 'agreement' | 'remindDays' | 'expireDays' | 'isPublic'>>,
    ) => send<api.List>('PATCH', `/lists/${id}`, { body: change }),
    signUp: (one: {
      listId: number;
      address: string;
      name?: string | null;
      agreed?: string;
      network?: string | null;
    }) => post<void>('/sign-ups', one),
    signUps: (query: { state?: permission.SignUp['state']; listId?: number } & PageOptions = {}) =>
      get<api.Page<permission.SignUp>>('/sign-ups', { ...query }),
    contactSignUps: (id: number) => get<permission.SignUp[]>(`/contacts/${id}/sign-ups`),
    unsubscribeContact: (request: { address: string; reason: string; brandId?: number; listId?: number }) =>
      post<permission.Unsubscribed>('/contacts/unsubscribe', request),
    previewAct: (selection: permission.ActSelection) =>
      post<permission.ActPreview>('/contacts/acts/preview', selection),
    applyAct: (selection: permission.ActSelection & { expect: number; expectMailable?: number; reason: string }) =>
      post<api.Run>('/contacts/acts', selection),
    exportContacts: (query: permission.ContactQuery & { format: 'csv' | 'jsonl'; columns?: string }) =>
      send<Response>('GET', '/contacts/export', { query: { ...query }, stream: true }),
    checkAddresses: (addresses: string[]) => post<permission.CheckedAddress[]>('/addresses/check', { addresses }),
    lookAlikes: () => get<addresses.LookAlike[]>('/addresses/look-alikes'),
    previewMending: (from: string, to: string) => post<addresses.MendPreview>('/addresses/mend/preview', { from, to }),
    mend: (from: string, to: string, expect: number, reason: string) =>
      post<api.Run>('/addresses/mend', { from, to, expect, reason }),
    heldRows: (id: number) => get<addresses.HeldRows[]>(`/imports/${id}/held`),
    releaseHeldRows: (id: number, request: { codes?: string[]; mend?: boolean; dryRun?: boolean }) =>
      post<api.Import>(`/imports/${id}/release`, request),
    severities: () => get<addresses.Severities>('/addresses/severities'),
    saveSeverities: (change: Partial<addresses.Severities>) =>
      post<addresses.Severities>('/addresses/severities', change),
    refused: (query: { part?: string } & PageOptions = {}) =>
      get<api.Page<addresses.RefusedValue>>('/refuse-list', query),
    refuse: (values: string[], reason: string, expect?: number) =>
      post<{ entered: number; known: number }>('/refuse-list', { values, reason, expect }),
    refuseNoMore: (values: string[]) => post<{ removed: number }>('/refuse-list/remove', { values }),
    verify: (query: { name: string; source: string; checkedAt?: string; column?: string }, file: Upload) =>
      send<addresses.Verification>('POST', '/verifications', { query, raw: file, type: 'text/csv' }),
    verifications: (options: PageOptions = {}) =>
      get<api.Page<addresses.VerificationItem>>('/verifications', { ...options }),
    verification: (id: number) => get<addresses.Verification>(`/verifications/${id}`),
    mapWords: (id: number, words: Record<string, OutsideVerdict>) =>
      post<addresses.Verification>(`/verifications/${id}/words`, { words }),
    applyVerification: (id: number, expect: number, reason: string) =>
      post<api.Run>(`/verifications/${id}/apply`, { expect, reason }),
    forgetVerification: (id: number) => send<void>('DELETE', `/verifications/${id}`, {}),
    verdictActs: () => get<addresses.VerdictActs>('/verdict-acts'),
    saveVerdictActs: (acts: Partial<addresses.VerdictActs>) => post<addresses.VerdictActs>('/verdict-acts', acts),
    reconcile: (name: string, file: Upload) =>
      send<permission.Reconciliation>('POST', '/reconciliations', { query: { name }, raw: file, type: 'text/csv' }),
    reconciliations: (options: PageOptions = {}) =>
      get<api.Page<permission.Reconciliation>>('/reconciliations', { ...options }),
    reconciliation: (id: number) => get<permission.Reconciliation>(`/reconciliations/${id}`),
    reconciled: (id: number, query: { direction: 'given' | 'ours'; found?: boolean } & PageOptions) =>
      get<api.Page<permission.ReconciledRow>>(`/reconciliations/${id}/rows`, { ...query }),
    forgetReconciliation: (id: number) => send<void>('DELETE', `/reconciliations/${id}`, {}),
    exportReconciled: (id: number, query: { direction: 'given' | 'ours'; found?: boolean }) =>
      send<Response>('GET', `/reconciliations/${id}/rows.csv`, { query, stream: true }),
    cost: () => get<permission.ContactCost>('/cost'),
    savePriceLadder: (ladder: permission.PriceLadder) => post<permission.ContactCost>('/cost/ladder', ladder),
    today: (brandId: number) => get<api.Today>('/today', { brandId }),
  };
}
