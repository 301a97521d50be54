import type { DnsRecord } from '../../shared/contract/relay.ts';

/** What stands in the DNS, in one sentence. */
export function dnsWords({ found, agrees }: Pick<DnsRecord, 'found' | 'agrees'>): string {
  if (found === null) return 'Nobody could be asked what stands there.';
  if (agrees) return 'It stands there.';
  return found.length === 0 ? 'Nothing stands there.' : `Something else stands there: ${found.join(' | ')}`;
}
