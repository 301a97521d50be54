import { createHash } from 'node:crypto';
import { unreadable, type ReadReturn } from '../../core/returns/read-return.ts';
import { inTransaction } from '../../store/database.ts';
import { findContactIds } from '../../store/statements/contacts.ts';
import {
  findDelivery,
  insertReturn,
  keepRaw,
  type DeliveryOfToken,
  type NewReturn,
  type ReturnState,
} from '../../store/statements/returns.ts';
import { findSignUp, turnAwaySignUp } from '../../store/statements/sign-ups.ts';
import { leavingByMessage, leavingEvent } from '../consent/leave.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import type { Deps } from '../deps.ts';
import { ensureMonths, OWN_SOURCE, recordEventsWithin, type IncomingEvent } from '../events/record-events.ts';

/** A return larger than this is refused by its size; reports that hold whole messages stay well below. */
export const MAX_RETURN_BYTES = 10 * 1024 * 1024;
/** Of what matches nothing so much is kept: enough for a person to see what it is. */
const MAX_UNMATCHED_BYTES = 64 * 1024;
/**
 * A Message-ID is known to everybody who ever saw the message, so it stands for a return only while returns still come.
 */
const MESSAGE_ID_HOLDS_MS = 14 * 86_400_000;

export interface ReceivedReturn {
  id: number;
  reading: ReadReturn;
  state: ReturnState;
  because: string;
}

/** A return as it was weighed: what is kept of it, and the event that it stands for. */
interface Weighed {
  row: NewReturn;
  event?: IncomingEvent;
  signUpId?: number;
}

/**
 * Takes in one returned message, for each address of ours that it came to (empty where the intake does not know it):
 * reads it, keeps it, and counts it if its token verifies. Anything else is kept as unmatched and changes nothing, so a
 * forged report can suppress nobody. Kept and counted in one transaction; the same message twice is counted once.
 * `brandId` is the brand of the mailbox it was in. One answer an address, in their order.
 */
export async function receiveReturns(
  deps: Deps,
  raw: Buffer,
  envelopeTos: readonly string[],
  brandId: number | null = null,
): Promise<ReceivedReturn[]> {
  const { readings, sender } = await deps.readReturns(raw, envelopeTos);
  const weighed: Weighed[] = [];
  for (const [index, reading] of readings.entries())
    weighed.push(await weigh(deps, { raw, envelopeTo: envelopeTos[index]!, reading, sender, brandId }));
  try {
    return await keep(deps, raw, weighed);
  } catch (error) {
    if (!isRefusedValue(error)) throw error;
    // Nothing of this kind is known. But were there any, it would come again and again, and nothing behind it.
    const row = (of: NewReturn): NewReturn => ({
      ...of,
      reading: unreadable(`what was read in it cannot be kept: ${(error as Error).message}`),
      state: 'unmatched',
      because: 'cannot be kept as it was read',
    });
    return keep(
      deps,
      raw,
      weighed.map((one) => ({ row: row(one.row) })),
    );
  }
}

/** SQLSTATE class 22: the database refuses a value, and would again. */
function isRefusedValue(error: unknown): boolean {
  const code = (error as { driverError?: { code?: unknown } }).driverError?.code;
  return typeof code === 'string' && code.startsWith('22');
}

async function keep(deps: Deps, raw: Buffer, weighed: Weighed[]): Promise<ReceivedReturn[]> {
  const events = weighed.flatMap(({ event }) => event ?? []);
  if (events.length > 0) await ensureMonths(deps, events);
  const kept = weighed.every(({ row }) => row.state === 'unmatched') ? raw.subarray(0, MAX_UNMATCHED_BYTES) : raw;
  // Two sessions with the same message wait for each other in one order.
  const inOrder = [...weighed].sort((a, b) => a.row.digest.localeCompare(b.row.digest));
  const ids = new Map<string, number>();
  const affected = await inTransaction(deps.database, async (sql) => {
    await keepRaw(sql, weighed[0]!.row.rawDigest, kept);
    const fresh: Weighed[] = [];
    for (const one of inOrder) {
      const inserted = await insertReturn(sql, one.row);
      ids.set(one.row.digest, inserted.id);
      if (inserted.fresh) fresh.push(one);
    }
    const recorded = fresh.flatMap(({ event }) => event ?? []);
    const done = recorded.length > 0 ? await recordEventsWithin(deps, sql, recorded) : undefined;
    for (const { row, event, signUpId } of fresh)
      if (event && signUpId !== undefined && endsSignUp(event))
        await turnAwaySignUp(
          sql,
          signUpId,
          `the confirmation message came back: ${row.reading.recipients[0]?.text ?? row.reading.kind}`,
        );
    return done?.affected ?? [];
  });
  await callBackFromSends(deps, affected);
  return weighed.map(({ row }) => ({
    id: ids.get(row.digest)!,
    reading: row.reading,
    state: row.state,
    because: row.because,
  }));
}

interface Arrived {
  raw: Buffer;
  envelopeTo: string;
  reading: ReadReturn;
  sender: string | undefined;
  brandId: number | null;
}

/** What a return is about, and what it counts for. */
async function weigh(deps: Deps, { raw, envelopeTo, reading, sender, brandId }: Arrived): Promise<Weighed> {
  const named = (await findDeliveryOf(deps, reading)) ?? (await findSignUpOf(deps, reading));
  const doubt = named && reading.by_message_id ? doubtOf(deps, reading, named, sender) : undefined;
  const delivery = doubt === undefined ? named : undefined;
  const meant = delivery ? eventOf(deps, reading, delivery) : undefined;
  const isHeld = reading.by_message_id === true && meant?.kind === 'bounced' && meant.detail?.class === 'hard';
  const asking = delivery ? undefined : await findAsking(deps, reading, sender, brandId);
  const state: ReturnState =
    asking !== undefined
      ? 'asks'
      : isHeld
        ? 'held'
        : meant
          ? reading.asks_to_stop === undefined
            ? 'counted'
            : 'asks'
          : delivery
            ? 'noted'
            : 'unmatched';
  const because = delivery
    ? isHeld
      ? `a hard bounce that is known by its Message-ID alone, which others know too: a person decides; ${reading.because}`
      : reading.because
    : asking !== undefined
      ? 'from a contact, as its From field says, which anybody can write: a person decides'
      : (doubt ?? unmatchedBecause(reading));
  const digest = digestOf(envelopeTo, raw);
  return {
    row: {
      digest,
      rawDigest: uuidOf(createHash('sha256').update(raw).digest('hex')),
      bytes: raw.length,
      envelopeTo,
      reading,
      state,
      because,
      campaignId: delivery?.campaignId ?? null,
      contactId: delivery?.contactId ?? asking ?? null,
      brandId: delivery?.brandId ?? brandId,
    },
    ...(meant && !isHeld && { event: { ...meant, externalId: `return:${digest}` } }),
    signUpId: delivery?.signUpId,
  };
}

function digestOf(envelopeTo: string, raw: Buffer): string {
  return uuidOf(createHash('sha256').update(envelopeTo).update('\0').update(raw).digest('hex'));
}

/** Why a message that is known by its Message-ID alone is not what this return is about; nothing when it may be. */
function doubtOf(
  deps: Deps,
  reading: ReadReturn,
  named: MessageOfToken,
  sender: string | undefined,
): string | undefined {
  const about =
    reading.kind === 'reply' || reading.kind === 'unsubscribe_request' || reading.recipients.length === 0
      ? [sender]
      : reading.recipients.map(({ address }) => address);
  if (!about.includes(named.address))
    return 'names a message of ours by its Message-ID alone, and not whom that was sent to';
  const age = named.sentAt === null ? Infinity : deps.now().getTime() - named.sentAt.getTime();
  return age <= MESSAGE_ID_HOLDS_MS
    ? undefined
    : 'names a message of ours by its Message-ID alone, and that was sent more than 14 days ago';
}

/**
 * The message of a campaign that a return answers. The token of its way out names it as well as that of its return
 * path, whichever way the return comes in: only an intake by SMTP knows the envelope.
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
  return {
    campaignId: null,
    contactId: one.contactId,
    brandId: one.brandId,
    address: one.address,
    purpose: 'marketing',
    listIds: [one.listId],
    bySegment: false,
    sentAt: one.at,
    signUpId: one.id,
  };
}

/**
 * The contact from whom a letter to a brand's mailbox seems to come that names no message of ours and asks to stop. It
 * proves nothing, so a person decides.
 */
async function findAsking(
  deps: Deps,
  reading: ReadReturn,
  sender: string | undefined,
  brandId: number | null,
): Promise<number | undefined> {
  const asks =
    reading.kind === 'unsubscribe_request' || (reading.kind === 'reply' && reading.asks_to_stop !== undefined);
  if (!asks || brandId === null || sender === undefined) return undefined;
  return (await findContactIds(deps.database, [sender])).get(sender);
}

/** Whoever cannot be reached, or complains of being asked, is not asked again. */
function endsSignUp({ kind, detail }: Pick<IncomingEvent, 'kind' | 'detail'>): boolean {
  return kind === 'complained' || kind === 'unsubscribed' || (kind === 'bounced' && detail?.class === 'hard');
}

/** A message of ours that a verified token names: one of a campaign, or one that asked to confirm. */
export type MessageOfToken = Omit<DeliveryOfToken, 'campaignId' | 'state'> & {
  campaignId: number | null;
  signUpId?: number;
};

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
  if (reading.kind === 'unreadable') return reading.because;
  return reading.token === null
    ? 'names no message of ours'
    : 'its token does not verify: not one of our messages, or changed on the way';
}

function uuidOf(hex: string): string {
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-${hex.slice(12, 16)}-${hex.slice(16, 20)}-${hex.slice(20, 32)}`;
}
