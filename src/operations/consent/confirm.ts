import { PUBLIC_PATHS } from '../../core/message/public-paths.ts';
import { addressHash, baseAddress } from '../../core/address/suppression-keys.ts';
import { CONSENT, type Standing } from '../../core/consent/consent-table.ts';
import type { WrittenMessage } from '../../core/message/compile-message.ts';
import { writeConfirmation } from '../../core/message/confirmation.ts';
import { BrandEntity } from '../../store/entities/organisation.ts';
import { actOnMany } from '../../store/statements/acts-on-many.ts';
import { selectionOf } from '../../store/statements/selection.ts';
import { inRetriedTransaction, inTransaction } from '../../store/database.ts';
import {
  claimDueSignUps,
  confirmSignUp,
  ensureContact,
  expireSignUps,
  findSignUp,
  putOffSignUp,
  turnAwaySignUp,
  type SignUpRow,
} from '../../store/statements/sign-ups.ts';
import { findSigners } from '../relay/dkim.ts';
import type { Relay } from '../relay/relay.ts';
import { countOfDay, sweepTries, uncountOfDay } from '../../store/statements/tries.ts';
import type { Deps } from '../deps.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import { OWN_SOURCE, ensureMonths, recordEventsWithin } from '../events/record-events.ts';
import { found } from '../problem.ts';
import { findStandings, findWhatStays } from './standings.ts';

const BY_CONTACT = { actorKind: 'contact' as const, actor: 'the contact', runId: null };
/** Messages asked for in one round. */
const ROUND = 20;
/** Wait after the relay would not take one. */
const PUT_OFF_MS = 5 * 60_000;
/** Messages that ask to confirm to one address within 24 hours, whatever list or sub-address was typed. */
const MOST_A_DAY = 3;
/** Wait of one that would be more than that. */
const PUT_OFF_FULL_MS = 60 * 60_000;

/**
 * Sends the confirmation messages and reminders that are due, and ends what nobody confirmed in time. One that fails is
 * put off, and keeps no other from its turn. Returns how many were due.
 */
export async function sendConfirmations(
  deps: Deps,
  relayOf: (brandId: number) => Relay,
  log: (error: unknown, signUp: number) => void = () => undefined,
): Promise<number> {
  await expireSignUps(deps.database, deps.now());
  await sweepTries(deps.database, deps.now());
  const due = await claimDueSignUps(deps.database, deps.now(), ROUND);
  for (const one of due)
    await askOne(deps, relayOf(one.brandId), one).catch(async (error: unknown) => {
      log(error, one.id);
      await putOffSignUp(deps.database, one.id, new Date(deps.now().getTime() + PUT_OFF_MS));
    });
  return due.length;
}

async function askOne(deps: Deps, relay: Relay, one: SignUpRow): Promise<void> {
  const standing = await findStandings(deps, one.address, { id: one.listId, brandId: one.brandId });
  const stays = findWhatStays(standing, 'confirmation');
  if (stays) return turnAwaySignUp(deps.database, one.id, `the address is held back: ${CONSENT[stays].what}`, true);
  // Who had left before and signs up again is asked; who signs up and then leaves is not reminded.
  if (standing.standings.some(({ standing, since }) => LEAVING.has(standing) && since !== null && since > one.at))
    return turnAwaySignUp(deps.database, one.id, 'they have left since', true);
  const message = await writeAsking(deps, one);
  const counted = `confirmation ${addressHash(baseAddress(one.address))}`;
  const at = deps.now();
  if (!(await inTransaction(deps.database, (sql) => countOfDay(sql, counted, at, MOST_A_DAY))))
    return putOffSignUp(deps.database, one.id, new Date(at.getTime() + PUT_OFF_FULL_MS));
  const handover = await relay.handOver(message, await findSigners(deps, one.brandId));
  if (handover.outcome === 'again') {
    await uncountOfDay(deps.database, counted, at);
    await putOffSignUp(deps.database, one.id, new Date(deps.now().getTime() + PUT_OFF_MS));
  }
  if (handover.outcome === 'refused')
    await turnAwaySignUp(deps.database, one.id, `the relay refused it: ${handover.reply}`);
}

/**
 * The message that asks to confirm. Its return path and number stand in every bounce and every log on its way, so they
 * carry a token of their own, which confirms nothing.
 */
async function writeAsking(deps: Deps, one: SignUpRow): Promise<WrittenMessage> {
  const brand = found(
    await deps.database.getRepository(BrandEntity).findOneBy({ id: one.brandId }),
    `brand ${one.brandId}`,
  );
  const tokenOf = (use: 'confirm' | 'asked'): string =>
    deps.tokens.make({ use, campaignId: one.listId, contactId: one.id, link: 0 });
  const sender = {
    brandName: brand.name,
    fromAddress: brand.fromAddress,
    returnDomain: brand.returnDomain,
    publicUrl: deps.publicUrl,
    listName: one.listName,
  };
  return writeConfirmation(sender, {
    to: one.address,
    name: one.name,
    listName: one.listName,
    url: `${deps.publicUrl}${PUBLIC_PATHS.confirm}/${tokenOf('confirm')}`,
    agreed: one.agreed,
    reminder: one.messages > 1,
    messageId: `<k.${tokenOf('asked')}.${one.messages}@${brand.fromAddress.split('@')[1]}>`,
    envelopeFrom: `k.${tokenOf('asked')}@${brand.returnDomain}`,
  });
}

/** What the contact themselves said, after which they are not asked any more. */
const LEAVING: ReadonlySet<Standing> = new Set<Standing>(['left', 'opt-out', 'complaint']);

/** What a confirmation link stands for, or nothing. */
export async function findConfirmation(deps: Deps, token: string): Promise<SignUpRow | undefined> {
  const payload = deps.tokens.read(token, 'confirm');
  return payload && (await findSignUp(deps.database, payload.contactId));
}

/**
 * Confirms a sign-up: the person's own act, recorded as such. It subscribes them, and lifts what a fresh confirmation
 * lifts (an opt-out, a complaint) and nothing else. Confirming twice is confirming once. Who may not be written to by
 * now is not subscribed either.
 */
export async function confirm(deps: Deps, one: SignUpRow, network: string | null): Promise<boolean> {
  const now = deps.now();
  const stays = findWhatStays(
    await findStandings(deps, one.address, { id: one.listId, brandId: one.brandId }),
    'confirmation',
  );
  if (stays) {
    await turnAwaySignUp(deps.database, one.id, `the address is held back: ${CONSENT[stays].what}`);
    return false;
  }
  await ensureMonths(deps, [{ at: now.getTime() }]);
  const result = await inRetriedTransaction(deps.database, async (sql) => {
    const contactId = one.contactId ?? (await ensureContact(sql, one.address, one.name, now));
    if (!(await confirmSignUp(sql, one.id, contactId, now, network))) return undefined;
    const recorded = await recordEventsWithin(deps, sql, [
      {
        kind: 'confirmed',
        at: now.getTime(),
        source: OWN_SOURCE,
        externalId: `confirmed:${one.id}`,
        contactId,
        brandId: one.brandId,
        campaignId: null,
        detail: { way: one.way, lists: [one.listId] },
      },
    ]);
    // Who had been archived and asks to be written to again counts again.
    await actOnMany(
      sql,
      selectionOf({ addresses: [one.address] }),
      { act: 'restore' },
      'confirmed a sign-up',
      BY_CONTACT,
    );
    return recorded;
  });
  if (result) await callBackFromSends(deps, result.affected);
  return result !== undefined;
}
