import type { Tokenizer } from '../core/message/token.ts';
import type { Database } from '../store/database.ts';

/** What every operation is given: the outside world, passed in. */
export interface Deps {
  database: Database;
  now: () => Date;
  tokens: Tokenizer;
  /** Address under which strangers reach the public port, without a slash at the end. */
  publicUrl: string;
  /** Months of `event` known to have a partition. */
  eventMonths: Set<string>;
  /** Tells this process's workers that there is work; those of other processes look by themselves. */
  announce(work: 'import' | 'send' | 'confirm'): void;
}
