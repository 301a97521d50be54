import type { Today } from '../../shared/contract/organisation.ts';
import type { Among } from '../../shared/words.ts';

/** One thing that happened to people since yesterday: whom a figure counts, the figure, and what they did. */
export interface SinceYesterday {
  among: Among;
  /** `12 people`. */
  who: string;
  did: string;
}

const KINDS: readonly [Among, keyof Today['changed'], string, string, string][] = [
  ['came-in', 'subscribed', 'person', 'people', 'came in'],
  ['unsubscribed', 'unsubscribed', 'person', 'people', 'unsubscribed'],
  ['became-undeliverable', 'undeliverable', 'address', 'addresses', 'became undeliverable'],
  ['to-sunset', 'toSunset', 'contact', 'contacts', 'went to sunset'],
  ['from-sunset', 'fromSunset', 'contact', 'contacts', 'came back from sunset'],
  ['complained', 'complained', 'person', 'people', 'complained'],
];

/** What happened since yesterday; what did not is left out. */
export const sinceYesterday = (changed: Today['changed']): SinceYesterday[] =>
  KINDS.filter(([, figure]) => changed[figure] > 0).map(([among, figure, one, many, did]) => ({
    among,
    who: `${changed[figure].toLocaleString('en-GB')} ${changed[figure] === 1 ? one : many}`,
    did,
  }));
