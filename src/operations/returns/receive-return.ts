import { createHash } from 'node:crypto';
import { readReturn, senderOf, type ReadReturn } from '../../core/returns/read-return.ts';
import { inTransaction } from '../../store/database.ts';
import { findContactIds } from '../../store/statements/contacts.ts';
import { findDelivery, insertReturn, type DeliveryOfToken, type ReturnState } from '../../store/statements/returns.ts';
import { findSignUp, turnAwaySignUp } from '../../store/statements/sign-ups.ts';
import { leavingByMessage, leavingEvent } from '../permission/leave.ts';
import { callBackFromSends } from '../campaigns/call-back.ts';
import type { Deps } from '../deps.ts';
import { ensureMonths, OWN_SOURCE, recordEventsWithin, type IncomingEvent } from '../events/record-events.ts';

/** A return larger than this is refused by its size; reports that hold whole messages stay well below. */
export const MAX_RETURN_BYTES = 10 * 1024 * 1024;

export interface ReceivedReturn {
  id: number;
  reading: ReadReturn;
  state: ReturnState;
  because: string;
}

/**
 * Takes in one returned message: reads it, keeps it, and counts it if its token verifies. Anything else is kept as
 * unmatched and changes nothing, so a forged report can suppress nobody. Kept and counted in one transaction; the same
 * message twice is counted once. `brandId` is the brand of the mailbox it was in.
 */
export async function receiveReturn(
  deps: Deps,
  raw: Buffer,
  envelopeTo: string,
  brandId: number | null = null,
): Promise<ReceivedReturn> {
  const reading = readReturn(raw, envelopeTo);
  const delivery = (await findDeliveryOf(deps, reading)) ?? (await findSignUpOf(deps, reading));
  const event = delivery ? eventOf(deps, reading, delivery) : undefined;
  const asking = delivery ? undefined : await findAsking(deps, reading, raw, brandId);
  const state: ReturnState = asking !== undefined ? 'asks' : event ? (reading.asks_to_stop === undefined ? 'counted' : 'asks') : delivery ? 'noted' : 'unmatched'; // prettier-ignore
  const because = delivery ? reading.because : asking !== undefined ? 'from a contact, as its From field says, which anybody can write: a person decides' : unmatchedBecause(reading); // prettier-ignore
  const digest = uuidOf(createHash('sha256').update(envelopeTo).update('\0').update(raw).digest('hex'));
  if (event) await ensureMonths(deps, [event]);
  const { id, affected } = await inTransaction(deps.database, async (sql) => {
    const kept = await insertReturn(sql, {
      digest,
      envelopeTo,
      raw,
      reading,
      state,
      because,
      campaignId: delivery?.campaignId ?? null,
      contactId: delivery?.contactId ?? asking ?? null,
      brandId: delivery?.brandId ?? brandId,
    });
    const recorded =
      kept.fresh && event
        ? await recordEventsWithin(deps, sql, [{ ...event, externalId: `return:${digest}` }])
        : undefined;
    if (kept.fresh && event && delivery?.signUpId !== undefined && endsSignUp(event))
      await turnAwaySignUp(sql, delivery.signUpId, `the confirmation message came back: ${reading.recipients[0]?.text ?? reading.kind}`); // prettier-ignore
    return { id: kept.id, affected: recorded?.affected ?? [] };
  });
  await callBackFromSends(deps, affected);
  return { id, reading, state, because };
}

/**
 * The message of a campaign that a return answers. The token of its way out names it as well as that of its return path,
 * whichever way the return comes in: only an intake by SMTP knows the envelope.
 */
async function findDeliveryOf(deps: Deps, reading: ReadReturn): Promise<MessageOfToken | undefined> {
  if (reading.token === null) return undefined;
  const payload = deps.tokens.read(reading.token, 'return') ?? deps.tokens.read(reading.token, 'unsubscribe');
  return payload && findDelivery(deps.database, payload.campaignId, payload.contactId);
}

/** The message that asked somebody to confirm a sign-up comes back to an address of its own. */
async function findSignUpOf(deps: Deps, reading: ReadReturn): Promise<MessageOfToken | undefined> {
  if (reading.token === null) return undefined;
  // Messages that went out before their return path had a token of its own carry the one that confirms.
  const payload = deps.tokens.read(reading.token, 'asked') ?? deps.tokens.read(reading.token, 'confirm');
  const one = payload && (await findSignUp(deps.database, payload.contactId));
  if (!one || one.contactId === null) return undefined;
  return { campaignId: null, contactId: one.contactId, brandId: one.brandId, address: one.address, purpose: 'marketing', listIds: [one.listId], bySegment: false, signUpId: one.id }; // prettier-ignore
}

/**
 * The contact from whom a letter to a brand's mailbox seems to come that names no message of ours and asks to stop. It
 * proves nothing, so a person decides.
 */
async function findAsking(
  deps: Deps,
  reading: ReadReturn,
  raw: Buffer,
  brandId: number | null,
): Promise<number | undefined> {
  const asks =
    reading.kind === 'unsubscribe_request' || (reading.kind === 'reply' && reading.asks_to_stop !== undefined);
  const sender = asks && brandId !== null ? senderOf(raw) : undefined;
  return sender === undefined ? undefined : (await findContactIds(deps.database, [sender])).get(sender);
}

/** Whoever cannot be reached, or complains of being asked, is not asked again. */
function endsSignUp({ kind, detail }: Pick<IncomingEvent, 'kind' | 'detail'>): boolean {
  return kind === 'complained' || kind === 'unsubscribed' || (kind === 'bounced' && detail?.class === 'hard');
}

/** A message of ours that a verified token names: one of a campaign, or one that asked to confirm. */
export type MessageOfToken = Omit<DeliveryOfToken, 'campaignId' | 'state'> & { campaignId: number | null; signUpId?: number }; // prettier-ignore

/** The event that a matched return stands for; none for kinds that are only noted. */
export function eventOf(
  deps: Deps,
  reading: ReadReturn,
  delivery: MessageOfToken,
): Omit<IncomingEvent, 'externalId'> | undefined {
  const base = {
    at: deps.now().getTime(),
    source: OWN_SOURCE,
    contactId: delivery.contactId,
    brandId: delivery.brandId,
    campaignId: delivery.campaignId,
  };
  const recipient = reading.recipients.find(({ address }) => address === delivery.address) ?? reading.recipients[0];
  const server = { status: recipient?.status, reply: recipient?.text, because: reading.because };
  switch (reading.kind) {
    case 'bounce':
      if (recipient?.class !== 'hard' && recipient?.class !== 'soft' && recipient?.class !== 'block') return undefined;
      return { ...base, kind: 'bounced', detail: { ...server, class: recipient.class, way: 'delivery report' } };
    case 'delay':
      return { ...base, kind: 'delayed', detail: server };
    case 'success':
      return { ...base, kind: 'delivered', detail: server };
    case 'complaint':
      return { ...base, kind: 'complained', detail: { way: 'complaint report', what: recipient?.text } };
    case 'unsubscribe_request':
      return leavingEvent(deps, leavingByMessage(delivery, 'mail'));
    case 'reply':
      return { ...base, kind: 'replied', detail: { way: 'mail' } };
    default:
      return undefined;
  }
}

function unmatchedBecause(reading: ReadReturn): string {
  return reading.token === null
    ? 'names no message of ours'
    : 'its token does not verify: not one of our messages, or changed on the way';
}

function uuidOf(hex: string): string {
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-${hex.slice(12, 16)}-${hex.slice(16, 20)}-${hex.slice(20, 32)}`;
}
