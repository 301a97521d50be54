import type { DnsRecord } from '../../shared/contract/relay.ts';
import { dkimRecord, isAligned, publishesKey } from '../../core/message/dkim.ts';
import { BrandEntity } from '../../store/entities/organisation.ts';
import { listRelaysOf } from '../../store/statements/relays.ts';
import { listDkimKeys } from '../../store/statements/dkim-keys.ts';
import type { Deps } from '../deps.ts';
import { found } from '../problem.ts';
import { remember } from '../remember.ts';

/** What was asked of the resolver holds for so long: whoever publishes a record wants to see it. */
const ASKED_FOR_MS = 60_000;

interface Wanted {
  name: string;
  type: 'TXT' | 'MX';
  wanted: string;
  what: DnsRecord['what'];
  signs: boolean | null;
  purpose: string;
  agrees: (value: string) => boolean;
}

/**
 * The records that a brand's domains should have in the DNS, and with a resolver what stands there. `agrees` is null
 * where nobody could be asked.
 * @throws Problem not-found
 */
export async function lookAtDns(deps: Deps, brandId: number): Promise<DnsRecord[]> {
  const brand = found(await deps.database.getRepository(BrandEntity).findOneBy({ id: brandId }), `brand ${brandId}`);
  const keys = await listDkimKeys(deps.database.manager, brandId);
  const relays = await listRelaysOf(deps.database.manager, brandId);
  // A mailbox that returns come to is a matter of whoever keeps it.
  const returnDomains = new Set([
    brand.returnDomain.toLowerCase(),
    ...relays.flatMap(({ returnsTo }) => (returnsTo && !returnsTo.includes('@') ? [returnsTo.toLowerCase()] : [])),
  ]);
  const domain = brand.fromAddress.slice(brand.fromAddress.lastIndexOf('@') + 1);
  const records: Wanted[] = [
    ...keys.map((key): Wanted => {
      const { name, value } = dkimRecord(key.selector, key.domain, key.publicKey);
      const speaks = isAligned(key.domain, brand.fromAddress) ? '' : `; it does not speak for ${brand.fromAddress}`;
      return {
        name,
        type: 'TXT',
        wanted: value,
        what: 'DKIM',
        signs: key.signs,
        purpose: `DKIM (RFC 6376): ${key.signs ? 'messages are signed with it' : 'not signed with yet'}${speaks}`,
        agrees: (value) => publishesKey(value, key.publicKey),
      };
    }),
    ...[...returnDomains].flatMap(returnRecords),
    {
      name: `_dmarc.${domain}`,
      type: 'TXT',
      wanted: 'v=DMARC1; p=none',
      what: 'DMARC',
      signs: null,
      purpose: 'DMARC (RFC 7489): what becomes of messages that are neither signed nor sent for the domain',
      agrees: (value) => /^v=DMARC1\s*(;|$)/.test(value),
    },
  ];
  return Promise.all(records.map((record) => compare(deps, record)));
}

/** What a domain has to have that returns come to. */
function returnRecords(name: string): Wanted[] {
  return [
    {
      name,
      type: 'TXT',
      wanted: 'v=spf1 include:RELAY -all',
      what: 'SPF',
      signs: null,
      purpose: 'SPF (RFC 7208): which servers send for the return domain; RELAY is what your relay names',
      agrees: (value) => /^v=spf1(\s|$)/i.test(value),
    },
    {
      name,
      type: 'MX',
      wanted: 'the host on which the intake of returns listens',
      what: 'MX',
      signs: null,
      purpose: 'bounces, and requests to leave by mail, come back through it',
      agrees: (value) => value !== '' && value !== '.',
    },
  ];
}

async function compare(deps: Deps, { agrees, ...record }: Wanted): Promise<DnsRecord> {
  const { name, type } = record;
  const ask = deps.askRecords;
  const stands = ask
    ? await remember(deps, `dns ${type} ${name}`, ASKED_FOR_MS, () => ask(name.toLowerCase(), type))
    : undefined;
  return { ...record, found: stands ?? null, agrees: stands ? stands.some(agrees) : null };
}
