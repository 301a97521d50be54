import { keepMailbox, lookIntoMailbox, pauseMailbox, removeMailbox } from '../../../operations/returns/mailboxes.ts';
import { listMailboxes, type MailboxSettings } from '../../../store/statements/mailboxes.ts';
import { grantStop, matchReturn } from '../../../operations/returns/match-return.ts';
import { MAX_RETURN_BYTES, receiveReturns } from '../../../operations/returns/receive-return.ts';
import type { StormRule } from '../../../core/rules/storm.ts';
import {
  dismissStorm,
  findStormRule,
  getStorm,
  releaseStorm,
  saveStormRule,
} from '../../../operations/returns/storms.ts';
import { Problem, found } from '../../../operations/problem.ts';
import * as schema from '../../../shared/schemas.ts';
import {
  countReturnsByKind,
  dismissReturn,
  findReturn,
  listReturns,
  type ReturnState,
} from '../../../store/statements/returns.ts';
import { listStorms, type StormState } from '../../../store/statements/storms.ts';
import { NEWEST, pageOf, readCursor, type PageQuery } from '../paging.ts';
import { route, type Route } from '../route.ts';
import { readBody } from '../upload.ts';

type WithId = { id: number };
const MOST_STORMS = 100;

export const returnRoutes: Route[] = [
  route<never, PageQuery & { state?: ReturnState }>({
    method: 'get', path: '/returns', summary: 'Returns, latest first', query: schema.returnsQuery,
    async handle({ deps, query }) {
      return pageOf(await listReturns(deps.database, query.state ?? null, readCursor(query.cursor, NEWEST), query.limit + 1), query.limit, (row) => row.id);
    },
  }),
  route({
    method: 'post', path: '/returns', summary: 'Take in one returned message, as it came', raw: 'message/rfc822', status: 201,
    async handle({ deps, c }) {
      const raw = await readBody(c, MAX_RETURN_BYTES, 'The message');
      if (raw.length === 0) throw new Problem('unreadable-body', 'There is no message in the request.');
      const [received] = await receiveReturns(deps, raw, ['']);
      return received;
    },
  }),
  route<never, { days: number }>({
    method: 'get', path: '/returns/counts', summary: 'Returns of the last days by kind and state, and when the last one came', query: schema.returnCountsQuery,
    handle: ({ deps, query }) => countReturnsByKind(deps.database, new Date(deps.now().getTime() - query.days * 86_400_000)),
  }),
  route<WithId>({
    method: 'get', path: '/returns/:id', summary: 'One return: how it was read, and the message itself', params: schema.contactParams,
    async handle({ deps, params }) {
      const { raw, ...row } = found(await findReturn(deps.database, params.id), `return ${params.id}`);
      return { ...row, message: raw?.subarray(0, 100_000).toString('utf8') ?? null };
    },
  }),
  route<WithId>({
    method: 'post', path: '/returns/:id/dismiss', summary: 'Put a return aside that matches nothing, is held, or asks for nothing after all', params: schema.contactParams, status: 204,
    async handle({ deps, params }) {
      if (!(await dismissReturn(deps.database, params.id))) throw new Problem('wrong-state', `Return ${params.id} is neither unmatched nor held, nor does it ask for anything.`);
    },
  }),
  route<WithId, never, { address: string; campaignId?: number }>({
    method: 'post', path: '/returns/:id/match', summary: 'Say of a return that is unmatched or held whom and which campaign it is about; it counts from then on', params: schema.contactParams, body: schema.returnMatch,
    handle: ({ deps, params, body, who }) => matchReturn(deps, params.id, { ...body, actor: who.name }),
  }),
  route<WithId>({
    method: 'post', path: '/returns/:id/unsubscribe', summary: 'Unsubscribe somebody whose reply asks to stop, from the brand that wrote to them', params: schema.contactParams,
    handle: ({ deps, params, who }) => grantStop(deps, params.id, who.name),
  }),
  route({
    method: 'get', path: '/mailboxes', summary: 'IMAP mailboxes that returns are fetched from, and how they are',
    handle: ({ deps }) => listMailboxes(deps.database),
  }),
  route<never, never, MailboxSettings>({
    method: 'post', path: '/mailboxes', needs: 'administer', summary: 'Add an IMAP mailbox, or change the one of this name', body: schema.mailbox, status: 201,
    handle: ({ deps, body }) => keepMailbox(deps, body),
  }),
  route<WithId, never, { paused: boolean }>({
    method: 'post', path: '/mailboxes/:id/pause', needs: 'administer', summary: 'Stop fetching from a mailbox, or go on', params: schema.idParams, body: schema.mailboxPause,
    handle: ({ deps, params, body }) => pauseMailbox(deps, params.id, body.paused),
  }),
  route<WithId>({
    method: 'post', path: '/mailboxes/:id/look', summary: 'Look into a mailbox now, also where it waits after trouble', params: schema.idParams, status: 202,
    handle: ({ deps, params }) => lookIntoMailbox(deps, params.id),
  }),
  route<WithId>({
    method: 'delete', path: '/mailboxes/:id', needs: 'administer', summary: 'Forget a mailbox; what was fetched from it stays', params: schema.idParams, status: 204,
    handle: ({ deps, params }) => removeMailbox(deps, params.id),
  }),
  route<never, { state?: StormState }>({
    method: 'get', path: '/storms', summary: 'Hard bounces of a receiving domain that suddenly failed, held for a person or decided', query: schema.stormsQuery,
    handle: ({ deps, query }) => listStorms(deps.database, query.state ?? null, MOST_STORMS),
  }),
  route({
    method: 'get', path: '/storm-rule', summary: 'When the hard bounces of a domain are held',
    handle: ({ deps }) => findStormRule(deps.database),
  }),
  route<never, never, Partial<StormRule>>({
    method: 'patch', path: '/storm-rule', summary: 'Change when the hard bounces of a domain are held', body: schema.stormRule,
    handle: ({ deps, body, who }) => saveStormRule(deps, body, who.name),
  }),
  route<WithId>({
    method: 'get', path: '/storms/:id', summary: 'One storm, with a sample of the contacts concerned', params: schema.idParams,
    handle: ({ deps, params }) => getStorm(deps, params.id),
  }),
  route<WithId, never, { expect: number; reason: string }>({
    method: 'post', path: '/storms/:id/release', summary: 'The addresses are dead: their hard bounces count after all, as a run', params: schema.idParams, body: schema.stormRelease,
    handle: ({ deps, params, body, who }) => releaseStorm(deps, params.id, { ...body, actor: who.name }),
  }),
  route<WithId, never, { reason: string }>({
    method: 'post', path: '/storms/:id/dismiss', summary: 'It was an outage: the bounces stay on record and count against nobody', params: schema.idParams, body: schema.stormDismissal, status: 204,
    handle: ({ deps, params, body, who }) => dismissStorm(deps, params.id, { ...body, actor: who.name }),
  }),
]; // prettier-ignore
