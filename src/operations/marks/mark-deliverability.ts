import { decideDeliverability, type BounceRule, type DeliverabilityDecision } from '../../core/rules/bounce-count.ts';
import type { Sql } from '../../store/sql.ts';
import type { Act } from '../../store/statements/journal.ts';
import {
  findDeliverabilityFacts,
  setDeliverability,
  type ContactDeliverability,
  type DeliverabilityChange,
} from '../../store/statements/marks.ts';
import {
  enterEntries,
  findBuiltInLists,
  findEntriesOfContacts,
  liftEntries,
  type NewEntry,
} from '../../store/statements/suppression.ts';

export interface DecidedContact extends ContactDeliverability {
  decision: DeliverabilityDecision;
}

/** What the bounce rule says of these contacts, from everything that is on record of them. Nothing is written. */
export async function decideContacts(
  sql: Sql,
  contactIds: number[],
  rule: BounceRule,
  now: Date,
): Promise<DecidedContact[]> {
  const contacts = await findDeliverabilityFacts(sql, contactIds);
  return contacts.map((contact) => ({
    ...contact,
    decision: decideDeliverability(rule, contact.facts, now.getTime()),
  }));
}

/**
 * Marks these contacts as the bounce rule says, with entries on the built-in lists to match. Returns how many became
 * what.
 */
export async function markDeliverability(
  sql: Sql,
  contactIds: number[],
  rule: BounceRule,
  now: Date,
  act: Act,
): Promise<{ undeliverable: number; restored: number }> {
  if (contactIds.length === 0) return { undeliverable: 0, restored: 0 };
  const decided = await decideContacts(sql, contactIds, rule, now);
  await setDeliverability(
    sql,
    decided.map((contact) => changeOf(contact, now)),
    act,
  );
  const lists = await findBuiltInLists(sql);
  const standing = await findEntriesOfContacts(sql, contactIds, ['hard-bounce', 'bounce-count'], null);
  const wanted = new Map(
    decided.map((contact) => [
      contact.contactId,
      contact.decision.deliverability === 'undeliverable' ? contact.decision.cause : null,
    ]),
  );
  const over = standing.filter((entry) => wanted.get(entry.contactId) !== entry.builtIn);
  await liftEntries(
    sql,
    over.map((entry) => entry.id),
    'what came back no longer says so',
    'rule',
    act,
  );
  const entries = decided.flatMap((contact) => entryOf(contact, lists));
  const { entered } = await enterEntries(sql, entries, act);
  return { undeliverable: entered, restored: over.length };
}

function changeOf({ contactId, decision }: DecidedContact, now: Date): DeliverabilityChange {
  const marked = decision.deliverability === 'undeliverable';
  return {
    contactId,
    deliverability: decision.deliverability,
    since: marked ? decision.since : now.getTime(),
    cause: {
      cause: marked ? decision.cause : decision.deliverability,
      events: decision.counted,
      ...(marked ? { at: decision.since } : {}),
    },
  };
}

function entryOf({ address, decision }: DecidedContact, lists: Map<string, number>): NewEntry[] {
  if (decision.deliverability !== 'undeliverable') return [];
  const reason =
    decision.cause === 'hard-bounce'
      ? 'a hard bounce: the address cannot receive'
      : `${decision.counted.length} bounces reached the bounce count`;
  const evidence = { events: decision.counted, at: decision.since };
  return [
    {
      listId: lists.get(`${decision.cause} 0`)!,
      kind: 'address',
      value: address,
      reason,
      source: 'bounce rule',
      evidence,
      expiresAt: null,
    },
  ];
}
