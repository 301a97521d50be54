import { checkAddresses } from '../../../operations/contacts/check-addresses.ts';
import { findLookAlikes, mend, previewMending, type MendRequest } from '../../../operations/contacts/mend-addresses.ts';
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
]; // prettier-ignore
