import { gathered } from '../../core/sending/pace.ts';
import type { Sql } from '../../store/sql.ts';
import { holdRelayRate, keepRelayRate } from '../../store/statements/relays.ts';
import type { Relay } from '../relay/relay.ts';

/**
 * Claims as many as the rate of a relay has room for, `most` at the most, and takes them off that room: all campaigns
 * and processes share it. Held before the paces of the campaign are. Within a transaction.
 */
export async function claimAtRelayRate<T extends { claimed: unknown[] }>(
  sql: Sql,
  { id }: Pick<Relay, 'id'>,
  most: number,
  claim: (most: number) => Promise<T>,
): Promise<T> {
  const rate = id === undefined ? undefined : await holdRelayRate(sql, id);
  if (id === undefined || !rate) return claim(most);
  const { tokens, tokensAt, room } = gathered(rate, rate.now);
  const taken = await claim(Math.min(most, room));
  await keepRelayRate(sql, id, tokens - taken.claimed.length, tokensAt);
  return taken;
}
