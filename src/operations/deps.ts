import type { Tokenizer } from '../core/message/token.ts';
import type { Exchange } from '../core/address/check-address.ts';
import type { Secrets } from '../core/access/seal.ts';
import type { ReadReturns } from '../core/returns/read-return.ts';
import type { Database } from '../store/database.ts';

/** What every operation is given: the outside world, passed in. */
export interface Deps {
  database: Database;
  now: () => Date;
  tokens: Tokenizer;
  /** Keeps secrets encrypted; absent where the settings have no key for it. */
  secrets?: Secrets;
  /** Address under which strangers reach the public port, without a slash at the end. */
  publicUrl: string;
  /** Months of `event` known to have a partition. */
  eventMonths: Set<string>;
  /** Answers that may be some minutes old, by name, with until when (milliseconds since the epoch). */
  remembered: Map<string, { until: number; value: Promise<unknown> }>;
  /** Counts of whole brands that took long, by name; see rememberCostly. */
  costly: Map<string, object>;
  /**
   * Asks the domain name system whether a domain takes mail, and for how many seconds that holds; absent where no
   * resolver is set.
   */
  askExchange?: (domain: string) => Promise<{ exchange: Exchange; seconds: number }>;
  /**
   * The records of a name in the domain name system, none where there is no such name; undefined where nobody answers.
   * Absent where no resolver is set.
   */
  askRecords?: (name: string, type: 'TXT' | 'MX') => Promise<string[] | undefined>;
  /** Reads a message that came back, for each address it came to, within bounds of time and memory. Never throws. */
  readReturns: (raw: Uint8Array, envelopeTos: readonly string[]) => Promise<ReadReturns>;
  /** Tells this process's workers that there is work; those of other processes look by themselves. */
  announce(work: 'import' | 'send' | 'confirm' | 'mailbox' | 'run'): void;
}
