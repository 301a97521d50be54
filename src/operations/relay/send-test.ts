import { randomUUID } from 'node:crypto';
import { parseAddress } from '../../core/address/normal-form.ts';
import { suppressionKeys } from '../../core/address/suppression-keys.ts';
import { writeTestMessage } from '../../core/message/test-message.ts';
import { inTransaction } from '../../store/database.ts';
import { BrandEntity } from '../../store/entities/organisation.ts';
import { findMatchingEntries } from '../../store/statements/suppression.ts';
import { countOfDay, uncountOfDay } from '../../store/statements/tries.ts';
import { isInEffect } from '../../core/eligibility/in-effect.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import type { Handover, Relay } from './relay.ts';

/** Test messages of the organisation within 24 hours: they are for trying things out, not for writing to people. */
const MOST_A_DAY = 50;
const COUNTED = 'test messages';

/**
 * Sends a message from a brand to one address, to see that the relay passes it on. It is in no ledger, and nothing that
 * is done with it is counted. Once the relay has taken one, the brand says so.
 * @throws Problem invalid-input, not-found, held-back where everything to the address is stopped, too-many-tries
 */
export async function sendTest(
  deps: Deps,
  relay: Relay,
  { brandId, to }: { brandId: number; to: string },
  by: string,
): Promise<{ outcome: Handover['outcome']; reply: string }> {
  const brands = deps.database.getRepository(BrandEntity);
  const brand = found(await brands.findOneBy({ id: brandId }), `brand ${brandId}`);
  const address = parseAddress(to);
  if (!address.ok) throw new Problem('invalid-input', `“${to}” is no address.`, { field: 'to' });
  const stopping = (await findMatchingEntries(deps.database, suppressionKeys(address.address))).find(
    (entry) =>
      entry.reach === 'everything' &&
      isInEffect(entry, deps.now()) &&
      (entry.scope === 'organisation' || (entry.scope === 'brand' && entry.scopeId === brandId)),
  );
  if (stopping)
    throw new Problem('held-back', `${to} is on “${stopping.listName}”, which stops everything.`, { field: 'to' });
  const at = deps.now();
  if (!(await inTransaction(deps.database, (sql) => countOfDay(sql, COUNTED, at, MOST_A_DAY))))
    throw new Problem('too-many-tries', `There were ${MOST_A_DAY} test messages within a day.`);
  const handover = await relay.handOver(writeTestMessage(brand, { to, by, at, number: randomUUID() }));
  if (handover.outcome === 'accepted') await brands.update({ id: brandId }, { testedAt: deps.now() });
  // Put off, it has gone to nobody; refused or uncertain, the relay was asked to send it.
  if (handover.outcome === 'again') await uncountOfDay(deps.database, COUNTED, at);
  return { outcome: handover.outcome, reply: handover.reply };
}
