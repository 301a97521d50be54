import { randomUUID } from 'node:crypto';
import { parseAddress } from '../../core/address/normal-form.ts';
import { suppressionKeys } from '../../core/address/suppression-keys.ts';
import type { WrittenMessage } from '../../core/message/compile-message.ts';
import { writeTestMessage } from '../../core/message/test-message.ts';
import type { TestOutcome } from '../../shared/contract/relay.ts';
import { inTransaction } from '../../store/database.ts';
import { BrandEntity } from '../../store/entities/organisation.ts';
import { findMatchingEntries } from '../../store/statements/suppression.ts';
import { countOfDay, uncountOfDay } from '../../store/statements/tries.ts';
import { isInEffect } from '../../core/eligibility/in-effect.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { findSigners } from './dkim.ts';
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
): Promise<TestOutcome> {
  const brand = found(await deps.database.getRepository(BrandEntity).findOneBy({ id: brandId }), `brand ${brandId}`);
  const write = (): WrittenMessage => writeTestMessage(brand, { to, by, at: deps.now(), number: randomUUID() });
  const [{ outcome, reply }] = await handOverTests(deps, relay, { brandId, to: [to], write });
  return { outcome, reply };
}

/**
 * Hands test messages of a brand over, one after the other. If one of the addresses may get none, none of them does.
 * @throws Problem invalid-input, held-back where everything to an address is stopped, wrong-state where they cannot be
 *   signed, too-many-tries
 */
export async function handOverTests(
  deps: Deps,
  relay: Relay,
  { brandId, to, write }: { brandId: number; to: string[]; write: (to: string) => WrittenMessage },
): Promise<[SentTest, ...SentTest[]]> {
  for (const one of to) await assertMayGetTests(deps, brandId, one);
  // Before they are counted: what cannot be signed goes to nobody.
  const signWith = await findSigners(deps, brandId);
  const at = deps.now();
  await inTransaction(deps.database, async (sql) => {
    for (const [index] of to.entries())
      if (!(await countOfDay(sql, COUNTED, at, MOST_A_DAY)))
        throw new Problem(
          'too-many-tries',
          `There are ${MOST_A_DAY} test messages within a day at most; ${index} more can go, and nothing was sent.`,
        );
  });
  const sent: SentTest[] = [];
  let trouble: Handover | undefined;
  for (const one of to) {
    // A relay in trouble is asked once, or somebody would wait for it as often as there are addresses.
    const handover = trouble ?? (await relay.handOver(write(one), signWith));
    if (handover.outcome === 'again' && handover.trouble) trouble = handover;
    const { outcome, reply } = handover;
    if (outcome === 'accepted')
      await deps.database.getRepository(BrandEntity).update({ id: brandId }, { testedAt: deps.now() });
    // Put off, it has gone to nobody; refused or uncertain, the relay was asked to send it.
    if (outcome === 'again') await uncountOfDay(deps.database, COUNTED, at);
    sent.push({ to: one, outcome, reply });
  }
  return sent as [SentTest, ...SentTest[]];
}

type SentTest = TestOutcome & { to: string };

/** @throws Problem invalid-input, held-back */
async function assertMayGetTests(deps: Deps, brandId: number, to: string): Promise<void> {
  const address = parseAddress(to);
  if (!address.ok) throw new Problem('invalid-input', `“${to}” is no address.`, { field: 'to' });
  const stopping = (await findMatchingEntries(deps.database, suppressionKeys(address.address))).find(
    (entry) =>
      entry.reach === 'everything' &&
      isInEffect(entry, deps.now()) &&
      (entry.scope === 'organisation' || (entry.scope === 'brand' && entry.scopeId === brandId)),
  );
  if (stopping)
    throw new Problem('held-back', `${to} is on “${stopping.listName}”, which stops everything. Nothing was sent.`, {
      field: 'to',
    });
}
