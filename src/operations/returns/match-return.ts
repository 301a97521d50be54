import { normalOrGiven } from '../../core/address/normal-form.ts';
import { inTransaction } from '../../store/database.ts';
import { findContact, findContactIds } from '../../store/statements/contacts.ts';
import { findDelivery, findReturn, findSentCampaign, setAnswered, setMatched } from '../../store/statements/returns.ts';
import { getCampaign } from '../campaigns/edit-campaign.ts';
import { unsubscribeByRequest, type Unsubscribed } from '../consent/unsubscribe-by-request.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import type { Deps } from '../deps.ts';
import { ensureMonths, recordEventsWithin } from '../events/record-events.ts';
import { found, Problem } from '../problem.ts';
import { eventOf, type ReceivedReturn } from './receive-return.ts';

/**
 * A person says whom a return is about that is unmatched or held: it counts from then on like one whose token verified.
 * Only for what was really sent to that contact. @throws Problem not-found, wrong-state, invalid-input
 */
export async function matchReturn(
  deps: Deps,
  id: number,
  of: { address: string; campaignId?: number; actor: string },
): Promise<Omit<ReceivedReturn, 'reading'>> {
  const row = found(await findReturn(deps.database, id), `return ${id}`);
  const address = normalOrGiven(of.address);
  const contactId = found((await findContactIds(deps.database, [address])).get(address), `contact ${address}`);
  const campaignId = await findSentCampaign(deps.database, contactId, of.campaignId ?? null, row.brandId);
  if (campaignId === undefined)
    throw new Problem(
      'invalid-input',
      `${address} was not sent ${of.campaignId === undefined ? 'anything' : `campaign ${of.campaignId}`}: this return cannot be about it.`,
      { field: 'campaignId' },
    );
  const delivery = (await findDelivery(deps.database, campaignId, contactId))!;
  const event = eventOf(deps, row.reading, delivery);
  if (event) await ensureMonths(deps, [event]);
  const state = event ? 'counted' : 'noted';
  const because = `matched by ${of.actor}; ${row.reading.because}`;
  const affected = await inTransaction(deps.database, async (sql) => {
    const digest = await setMatched(sql, id, { state, because, campaignId, contactId });
    if (digest === undefined) throw new Problem('wrong-state', `Return ${id} is ${row.state} already.`);
    return event ? (await recordEventsWithin(deps, sql, [{ ...event, externalId: `return:${digest}` }])).affected : [];
  });
  await callBackFromSends(deps, affected);
  return { id, state, because };
}

/**
 * Somebody asked in a reply to be taken off, and a person agrees that they did: unsubscribed from the brand that wrote
 * to them. @throws Problem not-found, wrong-state
 */
export async function grantStop(deps: Deps, id: number, actor: string): Promise<Unsubscribed> {
  const row = found(await findReturn(deps.database, id), `return ${id}`);
  const contact = row.contactId === null ? undefined : await findContact(deps.database, { id: row.contactId });
  const brandId = row.campaignId === null ? row.brandId : (await getCampaign(deps, row.campaignId)).brandId;
  if (row.state !== 'asks' || !contact || brandId === null)
    throw new Problem('wrong-state', `Return ${id} does not ask to stop, or has been answered.`);
  const reason = `by reply: “${row.reading.asks_to_stop ?? row.reading.because}”`;
  const done = await unsubscribeByRequest(deps, { address: contact.address, brandId, reason, actor });
  await setAnswered(deps.database, id, `${actor} unsubscribed them, as they asked; ${row.reading.because}`);
  return done;
}
