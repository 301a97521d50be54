import {
  changeBrand,
  changeList,
  createBrand,
  createList,
  type ListChange,
  type NewBrand,
} from '../../../operations/organisation/set-up.ts';
import { findRetention, saveRetention } from '../../../operations/organisation/retention.ts';
import type { Retention } from '../../../shared/retention.ts';
import { lookAtToday } from '../../../operations/today.ts';
import type { Deps } from '../../../operations/deps.ts';
import { BrandEntity, ListEntity, type List } from '../../../store/entities/organisation.ts';
import { overWholeSet } from '../../../store/database.ts';
import { countByList } from '../../../store/statements/subscriptions.ts';
import * as schema from '../../../shared/schemas.ts';
import { route, type Route } from '../route.ts';

export const organisationRoutes: Route[] = [
  route({
    method: 'get', path: '/brands', summary: 'Brands of the organisation',
    handle: ({ deps }) => deps.database.getRepository(BrandEntity).find({ order: { id: 'ASC' } }),
  }),
  route({
    method: 'get', path: '/retention', summary: 'For how many days what is known of people is kept, and what the last sweep took away',
    handle: ({ deps }) => findRetention(deps),
  }),
  route<never, never, Partial<Retention>>({
    method: 'patch', path: '/retention', needs: 'administer', summary: 'Change for how many days things are kept; what is too old goes with the next sweep, at night', body: schema.retention,
    handle: ({ deps, body, who }) => saveRetention(deps, body, who.name),
  }),
  route<never, never, NewBrand>({
    method: 'post', path: '/brands', needs: 'administer', summary: 'Create a brand, with the suppression lists that rules fill for it', body: schema.newBrand, status: 201,
    handle: ({ deps, body }) => createBrand(deps, body),
  }),
  route<{ id: number }, never, Partial<NewBrand>>({
    method: 'patch', path: '/brands/:id', needs: 'administer', summary: 'Change how a brand sends: its name, address, return domain, time zone', params: schema.idParams, body: schema.brandChange,
    handle: ({ deps, params, body }) => changeBrand(deps, params.id, body),
  }),
  route({
    method: 'get', path: '/lists/counts', summary: 'How many are on each list, by whether they are subscribed or wait to confirm',
    handle: ({ deps }) => overWholeSet(deps.database, countByList),
  }),
  route({
    method: 'get', path: '/lists', summary: 'Lists of all brands',
    handle: async ({ deps }) => (await deps.database.getRepository(ListEntity).find({ order: { id: 'ASC' } })).map((list) => withSignUpUrl(deps, list)),
  }),
  route<{ id: number }, never, ListChange>({
    method: 'patch', path: '/lists/:id', summary: 'Change a list: its name, opt-in, agreement, reminders', params: schema.idParams, body: schema.listChange,
    handle: async ({ deps, params, body, who }) => withSignUpUrl(deps, await changeList(deps, params.id, body, who.name)),
  }),
  route<never, never, { brandId: number; name: string; optIn: 'single' | 'double' }>({
    method: 'post', path: '/lists', summary: 'Create a list', body: schema.newList, status: 201,
    handle: async ({ deps, body }) => withSignUpUrl(deps, await createList(deps, body)),
  }),
  route<never, { brandId: number }>({
    method: 'get', path: '/today', summary: 'What changed since yesterday, and what needs a look', query: schema.brandQuery,
    handle: ({ deps, query }) => lookAtToday(deps, query.brandId),
  }),
]; // prettier-ignore

function withSignUpUrl(deps: Deps, list: List): List & { signUpUrl: string } {
  const token = deps.tokens.make({ use: 'sign-up', campaignId: list.id, contactId: 0, link: 0 });
  return { ...list, signUpUrl: `${deps.publicUrl}/s/${token}` };
}
