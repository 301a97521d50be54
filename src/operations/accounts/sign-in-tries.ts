import { createHash } from 'node:crypto';
import { FORGOTTEN_AFTER_MS, waitAfter, type TriesBy } from '../../core/access/sign-in-wait.ts';
import { networkBlock } from '../../core/address/network-block.ts';
import { inTransaction } from '../../store/database.ts';
import {
  countWrong,
  forgetWrong,
  holdTries,
  isKnownNetwork,
  noteNetwork,
} from '../../store/statements/sign-in-tries.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';

/** One try to sign in, counted as a wrong one until it is known to be none. */
export interface CountedTry {
  /** The password was right: what was counted before it is forgotten, too. */
  right(accountId: number): Promise<void>;
  /** The password was not looked at. */
  takeBack(): Promise<void>;
}

/**
 * Counts a try to sign in, before its password is looked at. @throws Problem too-many-tries while the last wrong one is
 * too near, with how many seconds are left; that one is not counted, so whoever waits gets in.
 */
export async function countSignInTry(deps: Deps, email: string, network: string | null): Promise<CountedTry> {
  const now = deps.now();
  const block = networkBlock(network ?? 'unknown');
  const known = await isKnownNetwork(deps.database, email, block);
  const by: Record<TriesBy, string> = {
    'address-and-network': `both ${digestOf(email)} ${block}`,
    network: `network ${block}`,
    address: `address ${digestOf(email)}`,
  };
  const keys = Object.values(by);
  const wait = await inTransaction(deps.database, async (sql) => {
    const tries = await holdTries(sql, keys, now, new Date(now.getTime() - FORGOTTEN_AFTER_MS));
    const waits = (Object.keys(by) as TriesBy[])
      .filter((one) => one !== 'address' || !known)
      .map((one) => {
        const { wrong, lastAt } = tries.find(({ key }) => key === by[one])!;
        return waitAfter(one, wrong) * 1000 - (now.getTime() - lastAt.getTime());
      });
    const longest = Math.max(...waits);
    if (longest <= 0) await countWrong(sql, keys, now);
    return longest;
  });
  if (wait > 0) {
    const retryAfter = Math.ceil(wait / 1000);
    throw new Problem(
      'too-many-tries',
      `There were too many wrong passwords. The next is looked at in ${retryAfter} ${retryAfter === 1 ? 'second' : 'seconds'}.`,
      { extra: { retryAfter } },
    );
  }
  return {
    async right(accountId) {
      await inTransaction(deps.database, async (sql) => {
        await forgetWrong(sql, [by['address-and-network']], [by.address, by.network]);
        await noteNetwork(sql, accountId, block, now);
      });
    },
    takeBack: () => inTransaction(deps.database, (sql) => forgetWrong(sql, [], keys)),
  };
}

function digestOf(email: string): string {
  return createHash('sha256').update(email).digest('hex');
}
