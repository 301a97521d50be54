import { dkim } from '../../../shared/contract/dkim.ts';
import { addDkimKey, forgetDkimKey, lookAtDkimKeys, signWithKey } from '../../../operations/relay/dkim.ts';
import { lookAtDns } from '../../../operations/relay/dns-records.ts';
import { handlers } from '../route.ts';

/** Signing, and what the DNS has to say of a brand. */
export const dkimRoutes = handlers(dkim, {
  dkimKeys: ({ deps, params }) => lookAtDkimKeys(deps, params.id),
  addDkimKey: ({ deps, params, body, who }) => addDkimKey(deps, params.id, { ...body, actor: who.name }),
  signWithDkimKey: ({ deps, params, body }) => signWithKey(deps, params.id, params.keyId, body.signs),
  removeDkimKey: ({ deps, params, who }) => forgetDkimKey(deps, params.id, params.keyId, who.name),
  dnsRecords: ({ deps, params }) => lookAtDns(deps, params.id),
});
