import type { BouncePreview } from '../../shared/contract/rules.ts';
import type { BounceRule } from '../../core/rules/bounce-count.ts';
import { DAY_MS } from '../../core/rules/sunset-ladder.ts';
import { inTransaction } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import { findLastContactId } from '../../store/statements/contacts.ts';
import { insertRun } from '../../store/statements/journal.ts';
import { listBounceCandidates, lockContacts } from '../../store/statements/marks.ts';
import {
  findBounceRule,
  findVersionedBounceRule,
  saveBounceRule,
  type Versioned,
} from '../../store/statements/rules.ts';
import { setWhole } from '../../store/statements/run-work.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import type { Deps } from '../deps.ts';
import { decideContacts, markDeliverability, type DecidedContact } from '../marks/mark-deliverability.ts';
import { assertExpected, assertVersion, changedMeanwhile } from '../problem.ts';
import { actOfRun, type Doing } from '../piece.ts';

export type { BouncePreview } from '../../shared/contract/rules.ts';

/** Contacts looked at in one statement. */
const BATCH = 1000;
const SAMPLE = 20;

/** The bounce rule, as it was saved last. */
export function getBounceRule(deps: Deps): Promise<Versioned<BounceRule>> {
  return findVersionedBounceRule(deps.database);
}

/** Who would become undeliverable, or deliverable again, under a rule. Nothing is written. */
export async function previewBounceRule(deps: Deps, tried?: BounceRule): Promise<BouncePreview> {
  const rule = tried ?? (await findBounceRule(deps.database));
  const preview: BouncePreview = { rule, looked: 0, toUndeliverable: 0, toDeliverable: 0, sample: [] };
  for await (const contactIds of candidates(deps, rule)) {
    const decided = await decideContacts(deps.database, contactIds, rule, deps.now());
    preview.looked += decided.length;
    for (const contact of decided.filter(changesMark)) {
      if (contact.decision.deliverability === 'undeliverable') preview.toUndeliverable++;
      else preview.toDeliverable++;
      if (preview.sample.length < SAMPLE) preview.sample.push(sampleOf(contact));
    }
  }
  return preview;
}

/** Marks by the bounce rule as a run: it goes through all whom the rule may concern, by number. */
export interface CountingBounces {
  do: 'bounces';
  by: 'person' | 'rule';
}

/**
 * Saves the rule if it was changed and begins to mark everybody by it, as one run.
 * @throws Problem changed-meanwhile, count-moved
 */
export async function beginBounces(
  deps: Deps,
  request: {
    rule?: BounceRule;
    /** The version that was looked at; left out by the schedule. */
    version?: number;
    expected: number | null;
    reason: string;
    actor: string;
    actorKind: 'person' | 'rule';
  },
): Promise<number> {
  const { version, expected, reason, actor, actorKind } = request;
  assertVersion(version, 'The bounce rule', await findVersionedBounceRule(deps.database));
  if (expected !== null) {
    const { toUndeliverable, toDeliverable } = await previewBounceRule(deps, request.rule);
    assertExpected(expected, toUndeliverable + toDeliverable);
  }
  return inTransaction(deps.database, async (sql) => {
    if (request.rule && !(await saveBounceRule(sql, request.rule, actor, version)))
      throw changedMeanwhile(version, 'The bounce rule', await findVersionedBounceRule(sql));
    const work: CountingBounces = { do: 'bounces', by: actorKind };
    const runId = await insertRun(sql, { kind: 'bounce rule', brandId: null, actor, reason, work });
    await setWhole(sql, runId, await findLastContactId(sql));
    return runId;
  });
}

/** Marks the next of whom the bounce rule may concern. */
export const countingBounces: Doing<CountingBounces> = {
  async piece(deps, sql, run) {
    const rule = await findBounceRule(sql);
    const contactIds = await nextCandidates(deps, sql, rule, run.after ?? 0);
    const last = contactIds.at(-1);
    if (last === undefined) return { after: run.after, done: run.whole, changed: NOBODY, last: true };
    await lockContacts(sql, contactIds);
    const changed = await markDeliverability(sql, contactIds, rule, deps.now(), actOfRun(run));
    return { after: last, done: Math.min(last, run.whole), changed: { ...changed }, last: false };
  },
  settle: async (deps) => void (await callBackFromSends(deps, 'all')),
};

const NOBODY = { undeliverable: 0, restored: 0 };

async function* candidates(deps: Deps, rule: BounceRule): AsyncGenerator<number[]> {
  for (let after = 0; ;) {
    const contactIds = await nextCandidates(deps, deps.database, rule, after);
    if (contactIds.length === 0) return;
    after = contactIds[contactIds.length - 1]!;
    yield contactIds;
  }
}

function nextCandidates(deps: Deps, sql: Sql, rule: BounceRule, after: number): Promise<number[]> {
  const days = rule.withinDays === 0 ? 36_500 : rule.withinDays;
  return listBounceCandidates(sql, new Date(deps.now().getTime() - days * DAY_MS), after, BATCH);
}

function changesMark({ deliverability, decision }: DecidedContact): boolean {
  return (deliverability === 'undeliverable') !== (decision.deliverability === 'undeliverable');
}

function sampleOf(contact: DecidedContact): BouncePreview['sample'][number] {
  return {
    contactId: contact.contactId,
    address: contact.address,
    from: contact.deliverability,
    to: contact.decision.deliverability,
    bounces: contact.decision.counted.length,
  };
}
