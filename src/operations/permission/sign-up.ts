import { parseAddress } from '../../core/address/normal-form.ts';
import { addressHash } from '../../core/address/suppression-keys.ts';
import type { Reason, SubscriptionState } from '../../shared/words.ts';
import { inTransaction } from '../../store/database.ts';
import { ListEntity, type List } from '../../store/entities/organisation.ts';
import { ensureContact, insertSignUp, type SignUpWay } from '../../store/statements/sign-ups.ts';
import { countTries } from '../../store/statements/tries.ts';
import { changeSubscriptions } from '../../store/statements/subscriptions.ts';
import { checkAddresses } from '../contacts/check-addresses.ts';
import { checkAddress } from '../contacts/explain-verdict.ts';
import type { Deps } from '../deps.ts';
import { callBackFromSends } from '../campaigns/call-back.ts';
import { ensureMonths, OWN_SOURCE, recordEventsWithin } from '../events/record-events.ts';
import { found, Problem } from '../problem.ts';

export interface SignUpRequest {
  listId: number;
  address: string;
  name: string | null;
  way: SignUpWay;
  /** Address of the network it came from, or nothing when it is not known. */
  network: string | null;
  userAgent: string | null;
  /** The text that was agreed to, as it was shown. */
  agreed: string;
}

const MOST_OF_ADDRESS_AN_HOUR = 3;
const MOST_OF_NETWORK_AN_HOUR = 30;

/** What no opt-in lifts: whoever is held back by one of these is not written to, not even to ask. */
const NEVER: ReadonlySet<Reason> = new Set<Reason>(['erased', 'undeliverable', 'suppressed', 'machine']);
/** What only the person themselves can lift: a confirmation is asked for, whatever the list. */
const ONLY_BY_THEMSELVES: ReadonlySet<Reason> = new Set<Reason>(['complained', 'unsubscribed', 'archived']);

/**
 * Takes a sign-up. Whoever asks learns nothing about the address: it is the same answer whether it is new, subscribed
 * already, has left, complained, or may never be written to. What becomes of it stands in the sign-up's row.
 * @throws Problem invalid-input for what is no address, too-many-tries for a network that signs up too many
 */
export async function signUp(deps: Deps, request: SignUpRequest): Promise<void> {
  const list = found(
    await deps.database.getRepository(ListEntity).findOneBy({ id: request.listId }),
    `list ${request.listId}`,
  );
  const parsed = parseAddress(request.address);
  if (!parsed.ok) throw new Problem('invalid-input', 'This is not an email address.', { field: 'address' });
  const now = deps.now();
  const keys = [`address ${addressHash(parsed.address)}`, ...(request.network === null ? [] : [`network ${request.network}`])]; // prettier-ignore
  const [ofAddress = 0, ofNetwork = 0] = await countTries(deps.database, keys, now);
  if (ofNetwork > MOST_OF_NETWORK_AN_HOUR)
    throw new Problem('too-many-tries', 'There were too many sign-ups from this network. Please try again in an hour.');
  if (ofAddress > MOST_OF_ADDRESS_AN_HOUR) return;
  const { brands, subscriptions } = await checkAddress(deps, parsed.address);
  const verdict = brands.find(({ brandId }) => brandId === list.brandId)!;
  const state = subscriptions.find((row) => row.listId === list.id)?.state ?? null;
  const never = verdict.reasons.find((reason) => NEVER.has(reason));
  // Of an erased person not even the attempt is kept.
  if (never === 'erased') return;
  const one = { ...request, address: parsed.address, at: now };
  if (never) return turnAway(deps, list, one, `the address is held back: ${never}`);
  const refused = await findRefusal(deps, parsed.address);
  if (refused) return turnAway(deps, list, one, `the address is refused: ${refused}`);
  const left = state === 'unsubscribed' || verdict.reasons.some((reason) => ONLY_BY_THEMSELVES.has(reason));
  if (state === 'subscribed' && !left) return turnAway(deps, list, one, 'subscribed already');
  if (list.optIn === 'double' || left) return askToConfirm(deps, list, one, state);
  return subscribe(deps, list, one);
}

/** What is held and not refused may sign up: only who reads that mailbox can confirm. */
async function findRefusal(deps: Deps, address: string): Promise<string | undefined> {
  const [checked] = await checkAddresses(deps, [address]);
  return checked!.findings.find((finding) => finding.severity === 'refuse')?.code;
}

type Known = SignUpRequest & { at: Date };

async function turnAway(deps: Deps, list: List, one: Known, because: string): Promise<void> {
  await insertSignUp(deps.database, { ...one, contactId: null, state: 'turned-away', because, expireDays: list.expireDays }); // prettier-ignore
}

/** Keeps it as pending; the message goes out with the next round of the confirmer. */
async function askToConfirm(deps: Deps, list: List, one: Known, state: SubscriptionState | null): Promise<void> {
  await inTransaction(deps.database, async (sql) => {
    const contactId = await ensureContact(sql, one.address, one.name, one.at);
    const id = await insertSignUp(sql, { ...one, contactId, state: 'pending', because: null, expireDays: list.expireDays }); // prettier-ignore
    if (id === undefined) return;
    // Only where there is no subscription yet: asking again does not make a person pending who has left.
    if (state !== null) return;
    const change = { contactId, listId: list.id, state: 'pending' as const, at: one.at.getTime(), source: one.way, cause: { signUp: id } }; // prettier-ignore
    await changeSubscriptions(sql, [change], { actorKind: 'contact', actor: 'the contact', runId: null });
  });
  deps.announce('confirm');
}

/** Single opt-in: subscribed at once, by the contact's own act; the proof and the subscription stand or fall together. */
async function subscribe(deps: Deps, list: List, one: Known): Promise<void> {
  await ensureMonths(deps, [{ at: one.at.getTime() }]);
  const { affected } = await inTransaction(deps.database, async (sql) => {
    const contactId = await ensureContact(sql, one.address, one.name, one.at);
    const id = await insertSignUp(sql, { ...one, contactId, state: 'confirmed', because: null, expireDays: list.expireDays }); // prettier-ignore
    return recordEventsWithin(deps, sql, [
      {
        kind: 'subscribed', at: one.at.getTime(), source: OWN_SOURCE, externalId: `sign-up:${id}`, contactId, brandId: list.brandId, campaignId: null,
        detail: { way: one.way, lists: [list.id] },
      },
    ]); // prettier-ignore
  });
  await callBackFromSends(deps, affected);
}
