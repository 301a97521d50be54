import type { AutomatedRule } from '../../../core/rules/automated-address.ts';
import { findProxyList, saveProxyList, type ProxyList } from '../../../operations/events/proxy-list.ts';
import { rebuildActivity } from '../../../operations/events/rebuild-activity.ts';
import { beginRejudging, previewRejudging } from '../../../operations/events/rejudge-acts.ts';
import { findSites, saveSites, type Sites } from '../../../operations/events/sites.ts';
import { beginAutomated, judgeAutomated, previewAutomated } from '../../../operations/rules/automated-addresses.ts';
import * as schema from '../../../shared/schemas.ts';
import { workFirst } from '../../../operations/runs/work-through.ts';
import { listAutomated, type AutomatedState } from '../../../store/statements/automated-addresses.ts';
import { pageOf, readCursor, type PageQuery } from '../paging.ts';
import { route, type Route } from '../route.ts';

/** Whose acts they are: activity, what is judged by, and the addresses that look automated. */
export const actorRoutes: Route[] = [
  route({
    method: 'post', path: '/activity/rebuild', needs: 'administer', summary: 'Derive all activity from the events, report what differed and put it right',
    handle: ({ deps }) => rebuildActivity(deps),
  }),
  route({
    method: 'post', path: '/activity/judge/preview', summary: 'Which stored opens and clicks would be judged otherwise by the lists and rules of today',
    handle: ({ deps }) => previewRejudging(deps),
  }),
  route<never, never, { expect: number; reason: string }>({
    method: 'post', path: '/activity/judge', summary: 'Judge all stored opens and clicks anew, as a run', body: schema.rejudge, status: 202,
    handle: async ({ deps, body, who }) => workFirst(deps, await beginRejudging(deps, { ...body, actor: who.name })),
  }),
  route({
    method: 'get', path: '/proxies', summary: 'Networks and user agents of image proxies, as the operator keeps them',
    handle: ({ deps }) => findProxyList(deps.database),
  }),
  route<never, never, ProxyList>({
    method: 'patch', path: '/proxies', summary: 'Keep another list of image proxies; past opens stay as they were until they are judged anew', body: schema.proxyList,
    handle: ({ deps, body, who }) => saveProxyList(deps, body, who.name),
  }),
  route({
    method: 'get', path: '/sites', summary: 'Your own sites, on which the script tells of visits',
    handle: async ({ deps }) => ({ ...(await findSites(deps.database)), scriptUrl: `${deps.publicUrl}/v.js` }),
  }),
  route<never, never, Sites>({
    method: 'patch', path: '/sites', summary: 'Keep other sites; links of messages to them name who comes, by a signed token', body: schema.sites,
    handle: async ({ deps, body, who }) => ({ ...(await saveSites(deps, body, who.name)), scriptUrl: `${deps.publicUrl}/v.js` }),
  }),
  route<never, PageQuery & { state: AutomatedState }>({
    method: 'get', path: '/automated-addresses', summary: 'Addresses that look automated, with their evidence', query: schema.automatedQuery,
    async handle({ deps, query }) {
      return pageOf(await listAutomated(deps.database, query.state, readCursor(query.cursor, 0), query.limit + 1), query.limit, (row) => row.contactId);
    },
  }),
  route<never, never, { rule?: Partial<AutomatedRule> }>({
    method: 'post', path: '/automated-addresses/preview', summary: 'Whose mark would come or go, under the saved rule or one that is tried', body: schema.automatedPreview,
    handle: ({ deps, body }) => previewAutomated(deps, body.rule),
  }),
  route<never, never, { rule?: Partial<AutomatedRule>; expect: number; reason: string }>({
    method: 'post', path: '/automated-addresses/apply', summary: 'Mark by the rule, as a run', body: schema.automatedApply, status: 202,
    handle: async ({ deps, body, who }) => workFirst(deps, await beginAutomated(deps, { rule: body.rule, expected: body.expect, reason: body.reason, actor: who.name, actorKind: 'person' })),
  }),
  route<never, never, { addresses: string[]; as: 'person' | 'machine'; reason: string }>({
    method: 'post', path: '/automated-addresses/judge', summary: 'Say of addresses whether a person or a machine reads them; the rule leaves them so', body: schema.automatedJudge,
    handle: ({ deps, body, who }) => judgeAutomated(deps, { ...body, actor: who.name }),
  }),
]; // prettier-ignore
