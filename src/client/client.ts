import type * as addresses from '../shared/api-addresses.ts';
import type * as permission from '../shared/api-permission.ts';
import type * as api from '../shared/api.ts';
import type { ProblemDocument } from '../shared/problems.ts';
import type { Encoding, OutsideVerdict } from '../shared/words.ts';

/** What can be sent as a body as it is. */
type Upload = NonNullable<RequestInit['body']>;
type Query = Record<string, string | number | boolean | null | undefined>;

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

export interface NewCampaign {
  brandId: number;
  name: string;
  subject?: string;
  html?: string;
  text?: string;
  listIds: number[];
  leftOutListIds?: number[];
  purpose?: 'marketing' | 'service';
}

/** A type and not an interface: an interface has no index signature and would not pass as a query. */
export type PageOptions = {
  cursor?: string;
  limit?: number;
};

export type NewMailbox = Pick<api.Mailbox, 'name' | 'host' | 'account' | 'passwordIn'> &
  Partial<Pick<api.Mailbox, 'port' | 'security' | 'folder' | 'brandId' | 'idles' | 'pollSeconds' | 'afterwards'>>;

/** How a table is to be read; what is not said is found from its beginning. */
export type FileFormat = { fileName: string; delimiter?: string; encoding?: Encoding };

export type ContactQuery = permission.ContactQuery;

/** The service as typed calls; every call answers the parsed body or throws a Refusal. */
export function makeClient(options: ClientOptions) {
  const send = makeSender(options);
  const get = <T>(path: string, query?: Query): Promise<T> => send('GET', path, { query });
  const post = <T>(path: string, body: unknown = {}): Promise<T> => send('POST', path, { body });
  return {
    signIn: (email: string, password: string) => post<api.SignedIn>('/session', { email, password }),
    session: () => get<api.SignedIn>('/session'),
    signOut: () => send<void>('DELETE', '/session', {}),
    createToken: (email: string, password: string, name: string) =>
      post<{ token: string; account: string }>('/tokens', { email, password, name }),

    brands: () => get<api.Brand[]>('/brands'),
    createBrand: (brand: { name: string; fromAddress: string; returnDomain: string; zone?: string }) =>
      post<api.Brand>('/brands', brand),
    lists: () => get<api.List[]>('/lists'),
    createList: (list: { brandId: number; name: string; optIn?: 'single' | 'double' }) =>
      post<api.List>('/lists', list),
    changeList: (
      id: number,
      change: Partial<Pick<api.List, 'name' | 'optIn' | 'agreement' | 'remindDays' | 'expireDays'>>,
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
    applyAct: (selection: permission.ActSelection & { expect: number; reason: string }) =>
      post<api.Run>('/contacts/acts', selection),
    exportContacts: (query: ContactQuery & { format: 'csv' | 'jsonl'; columns?: string }) =>
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

    contacts: (filter: ContactQuery & PageOptions) =>
      get<api.Page<api.ContactListItem> & { total: number }>('/contacts', { ...filter }),
    contact: (id: number) => get<api.ContactDetail>(`/contacts/${id}`),
    timeLine: (id: number, before?: string, limit?: number) =>
      get<{ items: api.TimeLineItem[]; more: boolean }>(`/contacts/${id}/time-line`, { before, limit }),
    contactJournal: (id: number, options: PageOptions = {}) =>
      get<api.Page<api.JournalItem>>(`/contacts/${id}/journal`, { ...options }),
    check: (address: string) => get<api.AddressCheck>('/check', { address }),

    importFile: (query: { listId: number; dryRun?: boolean; map?: string } & FileFormat, file: Upload) =>
      send<api.Import>('POST', '/imports', { query, raw: file, type: 'text/csv' }),
    /** A few kilobytes from the file's beginning are enough. */
    fileHead: (query: FileFormat, head: Upload) => send<api.FileHead>('POST', '/imports/head', { query, raw: head, type: 'text/csv' }), // prettier-ignore
    attributes: () => get<Record<string, api.Attribute>>('/attributes'),
    imports: (options: PageOptions = {}) => get<api.Page<api.Import>>('/imports', { ...options }),
    import: (id: number) => get<api.Import>(`/imports/${id}`),
    cancelImport: (id: number) => post<api.Import>(`/imports/${id}/cancel`),
    importResults: (id: number, only?: string) =>
      send<Response>('GET', `/imports/${id}/results.csv`, { query: { only }, stream: true }),

    campaigns: (filter: { brandId?: number; state?: string } & PageOptions = {}) =>
      get<api.Page<api.CampaignListItem>>('/campaigns', filter),
    campaign: (id: number) => get<api.Campaign>(`/campaigns/${id}`),
    createCampaign: (campaign: NewCampaign) => post<api.Campaign>('/campaigns', campaign),
    recordCampaign: (campaign: NewCampaign & { startedAt: string }) =>
      post<api.Campaign>('/campaigns/elsewhere', campaign),
    changeCampaign: (id: number, change: Partial<NewCampaign>) =>
      send<api.Campaign>('PATCH', `/campaigns/${id}`, { body: change }),
    preflight: (id: number) => get<api.Preflight>(`/campaigns/${id}/preflight`),
    preflightContacts: (id: number, reason?: string, options: PageOptions = {}) =>
      get<api.Page<api.JudgedContact>>(`/campaigns/${id}/preflight/contacts`, { reason, ...options }),
    preview: (id: number, address?: string) => get<api.MessagePreview>(`/campaigns/${id}/preview`, { address }),
    startCampaign: (id: number, expect: number) => post<api.Campaign>(`/campaigns/${id}/start`, { expect }),
    pauseCampaign: (id: number, reason?: string) =>
      post<api.Campaign>(`/campaigns/${id}/pause`, reason === undefined ? {} : { reason }),
    resumeCampaign: (id: number) => post<api.Campaign>(`/campaigns/${id}/resume`),
    cancelCampaign: (id: number) => post<api.Campaign>(`/campaigns/${id}/cancel`),
    report: (id: number) => get<api.CampaignReport>(`/campaigns/${id}/report`),
    recipients: (
      id: number,
      filter: { state?: string; reason?: string; acted?: string; actor?: string } & PageOptions = {},
    ) => get<api.Page<api.Recipient>>(`/campaigns/${id}/recipients`, filter),

    recordEvents: (lines: string, unknown: 'refuse' | 'create' = 'refuse') =>
      send<api.TakenEvents>('POST', '/events', { query: { unknown }, raw: lines, type: 'application/x-ndjson' }),
    returns: (filter: { state?: string } & PageOptions = {}) => get<api.Page<api.ReturnItem>>('/returns', filter),
    return: (id: number) => get<api.ReturnItem & { message: string }>(`/returns/${id}`),
    receiveReturn: (message: Upload) => send<api.ReceivedReturn>('POST', '/returns', { raw: message, type: 'message/rfc822' }), // prettier-ignore
    matchReturn: (id: number, of: { address: string; campaignId?: number }) => post<api.ReceivedReturn>(`/returns/${id}/match`, of), // prettier-ignore
    returnCounts: (days = 30) => get<api.ReturnCounts>('/returns/counts', { days }),
    rebuildActivity: () => post<api.RebuiltActivity>('/activity/rebuild'),
    proxies: () => get<api.ProxyList>('/proxies'),
    saveProxies: (list: api.ProxyList) => send<api.ProxyList>('PATCH', '/proxies', { body: list }),
    mailboxes: () => get<api.Mailbox[]>('/mailboxes'),
    keepMailbox: (settings: NewMailbox) => post<api.Mailbox>('/mailboxes', settings),
    pauseMailbox: (id: number, paused: boolean) => post<api.Mailbox>(`/mailboxes/${id}/pause`, { paused }),
    removeMailbox: (id: number) => send<void>('DELETE', `/mailboxes/${id}`, {}),
    storms: (state?: api.Storm['state']) => get<api.Storm[]>('/storms', { state }),
    storm: (id: number) => get<api.StormDetail>(`/storms/${id}`),
    stormRule: () => get<api.StormRule>('/storm-rule'),
    saveStormRule: (change: Partial<api.StormRule>) => send<api.StormRule>('PATCH', '/storm-rule', { body: change }),
    releaseStorm: (id: number, request: { expect: number; reason: string }) => post<api.Run>(`/storms/${id}/release`, request), // prettier-ignore
    dismissStorm: (id: number, reason: string) => post<void>(`/storms/${id}/dismiss`, { reason }),
    grantStop: (id: number) => post<permission.Unsubscribed>(`/returns/${id}/unsubscribe`),
    dismissReturn: (id: number) => post<void>(`/returns/${id}/dismiss`),

    suppressionLists: () => get<api.SuppressionList[]>('/suppression-lists'),
    createSuppressionList: (list: {
      name: string;
      scope?: string;
      scopeId?: number | null;
      reach?: string;
      exact?: boolean;
    }) => post<api.SuppressionList>('/suppression-lists', list),
    entries: (id: number, filter: { standing?: string; part?: string } & PageOptions = {}) =>
      get<api.Page<api.Entry>>(`/suppression-lists/${id}/entries`, filter),
    exportEntries: (id: number, standing?: string) =>
      send<Response>('GET', `/suppression-lists/${id}/entries.csv`, { query: { standing }, stream: true }),
    addEntries: (id: number, values: string[], reason: string, expiresAt: string | null = null) =>
      post<api.EnteredEntries>(`/suppression-lists/${id}/entries`, { values, reason, expiresAt }),
    lift: (entryIds: number[], reason: string) =>
      post<{ runId: number; lifted: number }>('/suppression/lift', { entryIds, reason }),

    sunsetRule: (brandId: number) => get<api.Versioned<api.SunsetRule>>(`/rules/sunset/${brandId}`),
    previewSunset: (brandId: number, rule?: api.SunsetRule) =>
      post<api.SunsetPreview>(`/rules/sunset/${brandId}/preview`, { rule }),
    applySunset: (brandId: number, expect: number, reason: string, rule?: api.SunsetRule) =>
      post<api.Run>(`/rules/sunset/${brandId}/apply`, { rule, expect, reason }),
    bounceRule: () => get<api.Versioned<api.BounceRule>>('/rules/bounce'),
    previewBounce: (rule?: api.BounceRule) => post<api.BouncePreview>('/rules/bounce/preview', { rule }),
    applyBounce: (expect: number, reason: string, rule?: api.BounceRule) =>
      post<api.Run>('/rules/bounce/apply', { rule, expect, reason }),
    runs: (options: PageOptions = {}) => get<api.Page<api.Run>>('/runs', { ...options }),
    run: (id: number) => get<api.Run>(`/runs/${id}`),
    journalContacts: (id: number, options: PageOptions = {}) =>
      get<api.Page<{ id: number; address: string; name: string | null }>>(`/journal/${id}/contacts`, { ...options }),
    runJournal: (id: number, options: PageOptions = {}) =>
      get<api.Page<api.JournalItem>>(`/runs/${id}/journal`, { ...options }),
    undoRun: (id: number, reason: string) => post<api.UndoneRun>(`/runs/${id}/undo`, { reason }),
  };
}

export type Client = ReturnType<typeof makeClient>;

interface Sending {
  query?: Query;
  body?: unknown;
  raw?: Upload;
  type?: string;
  stream?: boolean;
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
