import { checkAddresses } from '../../../operations/contacts/check-addresses.ts';
import { findLookAlikes, mend, previewMending, type MendRequest } from '../../../operations/contacts/mend-addresses.ts';
import { findSeverities, saveSeverities } from '../../../operations/contacts/domain-facts.ts';
import { refuse, refuseNoMore } from '../../../operations/contacts/refuse-list.ts';
import type { Severities } from '../../../core/address/check-address.ts';
import { listRefused } from '../../../store/statements/domain-facts.ts';
import { pageOf, readTextCursor, type PageQuery } from '../paging.ts';
import * as schema from '../../../shared/schemas.ts';
import { route, type Route } from '../route.ts';

export const addressRoutes: Route[] = [
  route<never, never, { addresses: string[] }>({
    method: 'post', path: '/addresses/check', summary: 'What is to be said of addresses before they are taken in: syntax, look-alike domains, suppression, role names', body: schema.addressesCheck,
    handle: ({ deps, body }) => checkAddresses(deps, body.addresses),
  }),
  route({
    method: 'get', path: '/addresses/look-alikes', summary: 'Domains of contacts that are probably slips of another, with the evidence',
    handle: ({ deps }) => findLookAlikes(deps),
  }),
  route<never, never, MendRequest>({
    method: 'post', path: '/addresses/mend/preview', summary: 'What mending a domain or an address would change', body: schema.mendPreview,
    handle: ({ deps, body }) => previewMending(deps, body),
  }),
  route<never, never, MendRequest & { expect: number; reason: string }>({
    method: 'post', path: '/addresses/mend', summary: 'Mend a domain or an address, as a run', body: schema.mendRequest,
    handle: ({ deps, body, who }) => mend(deps, { ...body, actor: who.name }),
  }),
  route({
    method: 'get', path: '/addresses/severities', summary: 'What each finding about an address does: refuse, hold, or a note',
    handle: ({ deps }) => findSeverities(deps),
  }),
  route<never, never, Partial<Severities>>({
    method: 'post', path: '/addresses/severities', summary: 'Set what findings do', body: schema.severities,
    handle: ({ deps, body, who }) => saveSeverities(deps, body, who.name),
  }),
  route<never, PageQuery & { part: string }>({
    method: 'get', path: '/refuse-list', summary: 'Addresses and domains that are not taken in, however they come', query: schema.refusedQuery,
    async handle({ deps, query }) {
      const after = readTextCursor(query.cursor) ?? '';
      return pageOf(await listRefused(deps.database, query.part, after, query.limit + 1), query.limit, (row) => row.value);
    },
  }),
  route<never, never, { values: string[]; reason: string; expect?: number }>({
    method: 'post', path: '/refuse-list', summary: 'Refuse addresses and domains from now on', body: schema.newRefused,
    handle: ({ deps, body, who }) => refuse(deps, { ...body, actor: who.name }),
  }),
  route<never, never, { values: string[] }>({
    method: 'post', path: '/refuse-list/remove', summary: 'Refuse them no more', body: schema.removeRefused,
    handle: ({ deps, body }) => refuseNoMore(deps, body.values),
  }),
]; // prettier-ignore
