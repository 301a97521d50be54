import { CONSENT, hardestOf, mayEnd } from '../../core/consent/consent-table.ts';
import { inTransaction } from '../../store/database.ts';
import type { List } from '../../store/entities/organisation.ts';
import { lockContacts } from '../../store/statements/marks.ts';
import {
  ensureContact,
  findConfirmedSignUp,
  insertSignUp,
  type NewSignUp,
  type SignUpWay,
} from '../../store/statements/sign-ups.ts';
import { changeSubscriptions } from '../../store/statements/subscriptions.ts';
import { checkAddresses } from '../addresses/check-addresses.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import type { Deps } from '../deps.ts';
import { ensureMonths, OWN_SOURCE, recordEventsWithin } from '../events/record-events.ts';
import { findStandings, findWhatStays, type Standings } from './standings.ts';

/** Somebody asks to get a list: at its form, through the API, or behind the link of a message. */
export interface Asking {
  /** In normal form. */
  address: string;
  name: string | null;
  way: Extract<SignUpWay, 'form' | 'api' | 'preferences'>;
  network: string | null;
  userAgent: string | null;
  /** The text that was agreed to, as it was shown. */
  agreed: string;
}

type Known = Asking & { at: Date };

/**
 * The one way onto a list, and back onto it: what stands between the person and the list says whether they are
 * subscribed at once, asked to confirm by mail, or turned away, as core/consent/consent-table has it. Of an erased
 * person not even the attempt is kept. Whoever asks is told none of it.
 */
export async function comeBack(deps: Deps, list: List, asking: Asking): Promise<void> {
  const one = { ...asking, at: deps.now() };
  const found = await findStandings(deps, one.address, list);
  const way = one.way === 'preferences' ? 'preferences' : 'form';
  const stays = findWhatStays(found, way);
  if (stays === 'erasure') return;
  if (stays) return turnAway(deps, list, one, `the address is held back: ${CONSENT[stays].what}`);
  const refused = await findRefusal(deps, one.address);
  if (refused) return turnAway(deps, list, one, `the address is refused: ${refused}`);
  if (await saidAlready(deps, list, found)) return turnAway(deps, list, one, 'subscribed already');
  const answer = hardestOf(found.standings.map(({ standing }) => mayEnd(standing, way)));
  if (answer === 'confirm' || (list.optIn === 'double' && found.state !== 'subscribed'))
    return askToConfirm(deps, list, one, found);
  return subscribe(deps, list, one);
}

/** Whoever staff or an import put on the list says it for themselves now; who has said it need not say it again. */
async function saidAlready(deps: Deps, list: List, { contact, state, standings }: Standings): Promise<boolean> {
  if (contact === null || state !== 'subscribed' || standings.length > 0) return false;
  return list.optIn === 'double' || findConfirmedSignUp(deps.database, contact.id, list.id);
}

/** What is held and not refused may sign up: only who reads that mailbox can confirm. */
async function findRefusal(deps: Deps, address: string): Promise<string | undefined> {
  const [checked] = await checkAddresses(deps, [address]);
  return checked!.findings.find((finding) => finding.severity === 'refuse')?.code;
}

function signUpOf(list: List, one: Known, what: Pick<NewSignUp, 'contactId' | 'state' | 'because'>): NewSignUp {
  return { ...one, ...what, listId: list.id, expireDays: list.expireDays };
}

async function turnAway(deps: Deps, list: List, one: Known, because: string): Promise<void> {
  await insertSignUp(deps.database, signUpOf(list, one, { contactId: null, state: 'turned-away', because }));
}

/** Keeps it as pending; the message goes out with the next round of the confirmer. */
async function askToConfirm(deps: Deps, list: List, one: Known, { state }: Standings): Promise<void> {
  await inTransaction(deps.database, async (sql) => {
    const contactId = await ensureContact(sql, one.address, one.name, one.at);
    await lockContacts(sql, [contactId]);
    const id = await insertSignUp(sql, signUpOf(list, one, { contactId, state: 'pending', because: null }));
    if (id === undefined) return;
    // Only where there is no subscription yet: asking again does not make a person pending who has left.
    if (state !== null) return;
    const change = {
      contactId,
      listId: list.id,
      state: 'pending' as const,
      at: one.at.getTime(),
      source: one.way,
      cause: { signUp: id },
      stillSaid: true,
    };
    await changeSubscriptions(sql, [change], { actorKind: 'contact', actor: 'the contact', runId: null });
  });
  deps.announce('confirm');
}

/**
 * Single opt-in: subscribed at once, by the contact's own act; the proof and the subscription stand or fall together.
 */
async function subscribe(deps: Deps, list: List, one: Known): Promise<void> {
  await ensureMonths(deps, [{ at: one.at.getTime() }]);
  const { affected } = await inTransaction(deps.database, async (sql) => {
    const contactId = await ensureContact(sql, one.address, one.name, one.at);
    const id = await insertSignUp(sql, signUpOf(list, one, { contactId, state: 'confirmed', because: null }));
    return recordEventsWithin(deps, sql, [
      {
        kind: 'subscribed',
        at: one.at.getTime(),
        source: OWN_SOURCE,
        externalId: `sign-up:${id}`,
        contactId,
        brandId: list.brandId,
        campaignId: null,
        detail: { way: one.way, lists: [list.id] },
      },
    ]);
  });
  await callBackFromSends(deps, affected);
}
