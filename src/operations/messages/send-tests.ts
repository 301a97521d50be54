import { randomUUID } from 'node:crypto';
import type { SentTests, TypedMessage } from '../../shared/contract/messages.ts';
import { writeTest } from '../../core/message/compile-message.ts';
import { reportMessageProblems } from '../campaigns/edit-campaign.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import type { Relay } from '../relay/relay.ts';
import { handOverTests } from '../relay/send-test.ts';
import { findReader, readTyped } from './typed-message.ts';

/**
 * Sends a message that is being written to a few addresses, with the data of one contact. It is marked as a test, is in
 * no ledger, and nothing that is done with it is counted.
 * @throws Problem message-unfit, invalid-input, not-found, held-back where everything to an address is stopped,
 *   too-many-tries; then nothing was sent
 */
export async function sendTests(
  deps: Deps,
  relay: Relay,
  typed: TypedMessage,
  { to, address, by }: { to: string[]; address: string | undefined; by: string },
): Promise<SentTests> {
  const { compiled, sender } = await readTyped(deps, typed);
  const [problem] = (await reportMessageProblems(deps, typed)).filter(({ code }) => code !== 'no-statement');
  if (problem) throw new Problem('message-unfit', `${problem.message} Nothing was sent.`, { field: problem.field });
  const { fields } = await findReader(deps, address);
  const write = (one: string): ReturnType<typeof writeTest> =>
    writeTest(compiled, { to: one, fields, by, number: randomUUID() }, sender, deps.tokens);
  return { tests: await handOverTests(deps, relay, { brandId: typed.brandId, to, write }) };
}
