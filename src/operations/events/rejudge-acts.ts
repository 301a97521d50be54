import type { ActKind } from '../../core/activity/judge-actor.ts';
import { inTransaction } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import {
  findActsOfContacts,
  findNextContacts,
  listContactsWithActivity,
  listJudgedContacts,
  noteJudgements,
  repaintActs,
  takeJudgementsBack,
} from '../../store/statements/acts.ts';
import { recountActs } from '../../store/statements/noted.ts';
import { findAddresses, findLastContactId } from '../../store/statements/contacts.ts';
import { lockActivity, rebuildActivityOf } from '../../store/statements/events.ts';
import { insertRun } from '../../store/statements/journal.ts';
import { setWhole } from '../../store/statements/run-work.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import type { Deps } from '../deps.ts';
import { assertExpected } from '../problem.ts';
import type { Doing } from '../piece.ts';
import { applyConsequences } from './apply-consequences.ts';
import { judgeAnew, type ChangedAct } from './judge-acts.ts';

export interface RejudgePreview {
  /** Opens and clicks that would have another actor, or another reason for it. */
  acts: number;
  contacts: number;
  /** By what they were and what they would be, the most first. */
  moves: { kind: ActKind; from: string; to: string; acts: number }[];
  sample: { contactId: number; address: string; kind: ActKind; at: number; from: string; to: string }[];
}

/** Contacts whose acts are judged at once. */
const BATCH = 2000;
const SAMPLE = 20;

/** Which stored opens and clicks are judged otherwise by the lists and rules of today. Nothing is written. */
export async function previewRejudging(deps: Deps): Promise<RejudgePreview> {
  const moves = new Map<string, RejudgePreview['moves'][number]>();
  const sampled: ChangedAct[] = [];
  let acts = 0;
  let contacts = 0;
  for await (const span of spans(deps)) {
    const changed = await judgeAnew(deps, deps.database, await findActsOfContacts(deps.database, ...span));
    acts += changed.length;
    contacts += new Set(changed.map(({ contactId }) => contactId)).size;
    for (const act of changed) {
      const move = {
        kind: act.kind,
        from: wordsOf(act.was.actor, act.was.actorReason),
        to: wordsOf(act.actor, act.actorReason),
      };
      const key = JSON.stringify(move);
      const known = moves.get(key);
      if (known) known.acts++;
      else moves.set(key, { ...move, acts: 1 });
      if (sampled.length < SAMPLE) sampled.push(act);
    }
  }
  const addresses = await findAddresses(deps.database, [...new Set(sampled.map(({ contactId }) => contactId))]);
  const sample = sampled.map(({ contactId, kind, at, was, actor, actorReason }) => ({
    contactId,
    address: addresses.get(contactId)!,
    kind,
    at,
    from: wordsOf(was.actor, was.actorReason),
    to: wordsOf(actor, actorReason),
  }));
  return { acts, contacts, moves: [...moves.values()].sort((a, b) => b.acts - a.acts), sample };
}

/** Stored acts judged anew by a run: it goes through all activity, by the numbers of contacts. */
export interface JudgingAnew {
  do: 'judge anew';
  by: 'person';
}

/**
 * Begins to judge all stored opens and clicks by the lists and rules of today, as one run that can be undone; activity
 * and deliverability follow. Stages move when the ladder is next worked out.
 * @throws Problem count-moved
 */
export async function beginRejudging(
  deps: Deps,
  request: { expect: number; reason: string; actor: string },
): Promise<number> {
  const { expect, reason, actor } = request;
  assertExpected(expect, (await previewRejudging(deps)).acts);
  return inTransaction(deps.database, async (sql) => {
    const work: JudgingAnew = { do: 'judge anew', by: 'person' };
    const runId = await insertRun(sql, { kind: 'acts judged anew', brandId: null, actor, reason, work });
    await setWhole(sql, runId, await findLastContactId(sql));
    return runId;
  });
}

/** Judges the acts of the next contacts anew. */
export const judgingAnew: Doing<JudgingAnew> = {
  async piece(deps, sql, run) {
    const from = run.after ?? 0;
    const after = await findNextContacts(sql, from, BATCH);
    if (after === undefined)
      return { after: run.after, done: run.whole, changed: { acts: 0, contacts: 0 }, last: true };
    // Held before their acts are read: what comes in meanwhile waits, and is judged after what this has judged.
    const people = await listContactsWithActivity(sql, from, after);
    await lockActivity(sql, people);
    const changed = await judgeAnew(deps, sql, await findActsOfContacts(sql, from + 1, after + 1));
    const contactIds = contactsOf(changed);
    if (changed.length > 0) {
      await repaintActs(sql, changed);
      await noteJudgements(sql, run.id, changed);
      await followActors(deps, sql, contactIds);
    }
    return {
      after,
      done: Math.min(after, run.whole),
      changed: { acts: changed.length, contacts: contactIds.length },
      last: false,
    };
  },
  settle: async (deps) => void (await callBackFromSends(deps, 'all')),
};

/** Part of undoing a run: its acts get the actor back that they had. Returns how many. */
export async function undoRejudging(deps: Deps, sql: Sql, runId: number): Promise<number> {
  const people = await listJudgedContacts(sql, runId);
  await lockActivity(sql, people);
  const { acts, contactIds } = await takeJudgementsBack(sql, runId);
  if (acts > 0) await followActors(deps, sql, contactIds);
  return acts;
}

async function followActors(deps: Deps, sql: Sql, contactIds: number[]): Promise<void> {
  await rebuildActivityOf(sql, contactIds);
  await recountActs(sql, contactIds);
  await applyConsequences(deps, sql, [], contactIds);
}

/** Stretches of contact numbers, from one to the next but not with it. */
async function* spans(deps: Deps): AsyncGenerator<[number, number]> {
  for (let after = 0; ;) {
    const last = await findNextContacts(deps.database, after, BATCH);
    if (last === undefined) return;
    yield [after + 1, last + 1];
    after = last;
  }
}

function contactsOf(acts: ChangedAct[]): number[] {
  return [...new Set(acts.map(({ contactId }) => contactId))].sort((a, b) => a - b);
}

function wordsOf(actor: string, reason: string | null): string {
  return reason === null ? actor : `${actor} (${reason})`;
}
