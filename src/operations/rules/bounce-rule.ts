import type { BounceRule } from '../../core/rules/bounce-count.ts';
import { DAY_MS } from '../../core/rules/sunset-ladder.ts';
import { inTransaction } from '../../store/database.ts';
import { findRun, finishRun, insertRun, type RunRow } from '../../store/statements/journal.ts';
import { listBounceCandidates, lockContacts } from '../../store/statements/marks.ts';
import { findBounceRule, saveBounceRule } from '../../store/statements/rules.ts';
import { callBackFromSends } from '../campaigns/call-back.ts';
import type { Deps } from '../deps.ts';
import { decideContacts, markDeliverability, type DecidedContact } from '../marks/mark-deliverability.ts';
import { assertExpected, found } from '../problem.ts';

export interface BouncePreview {
  rule: BounceRule;
  looked: number;
  toUndeliverable: number;
  toDeliverable: number;
  sample: { contactId: number; address: string; from: string; to: string; bounces: number }[];
}

/** Contacts looked at in one statement. */
const BATCH = 1000;
const SAMPLE = 20;

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

/** Saves the rule if it was changed and marks everybody by it, as one run, batch by batch. @throws Problem count-moved */
export async function applyBounceRule(
  deps: Deps,
  request: { rule?: BounceRule; expected: number | null; reason: string; actor: string; actorKind: 'person' | 'rule' },
): Promise<RunRow> {
  const { expected, reason, actor, actorKind } = request;
  if (expected !== null) {
    const { toUndeliverable, toDeliverable } = await previewBounceRule(deps, request.rule);
    assertExpected(expected, toUndeliverable + toDeliverable);
  }
  if (request.rule) await saveBounceRule(deps.database, request.rule, actor);
  const rule = await findBounceRule(deps.database);
  const runId = await insertRun(deps.database, { kind: 'bounce rule', brandId: null, actor, reason });
  const counts = { undeliverable: 0, restored: 0 };
  for await (const contactIds of candidates(deps, rule)) {
    const changed = await inTransaction(deps.database, async (sql) => {
      await lockContacts(sql, contactIds);
      return markDeliverability(sql, contactIds, rule, deps.now(), { actorKind, actor, runId });
    });
    counts.undeliverable += changed.undeliverable;
    counts.restored += changed.restored;
  }
  await finishRun(deps.database, runId, counts);
  if (counts.undeliverable > 0) await callBackFromSends(deps, 'all');
  return found(await findRun(deps.database, runId), `run ${runId}`);
}

async function* candidates(deps: Deps, rule: BounceRule): AsyncGenerator<number[]> {
  const days = rule.withinDays === 0 ? 36_500 : rule.withinDays;
  const since = new Date(deps.now().getTime() - days * DAY_MS);
  for (let after = 0; ;) {
    const contactIds = await listBounceCandidates(deps.database, since, after, BATCH);
    if (contactIds.length === 0) return;
    after = contactIds[contactIds.length - 1]!;
    yield contactIds;
  }
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
