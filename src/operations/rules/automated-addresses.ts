import type { AutomatedPreview } from '../../shared/contract/actors.ts';
import { normalOrGiven } from '../../core/address/normal-form.ts';
import { DEFAULT_AUTOMATED_RULE, whyAutomated, type AutomatedRule } from '../../core/rules/automated-address.ts';
import { inTransaction } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import {
  countAutomated,
  listAutomated,
  listAutomatedCandidates,
  setAutomated,
  type AutomatedRow,
  type AutomatedState,
  type MarkedRow,
} from '../../store/statements/automated-addresses.ts';
import { findAddresses, findContactIds, findLastContactId } from '../../store/statements/contacts.ts';
import { findRun, finishRun, insertRun, type Act, type RunRow } from '../../store/statements/journal.ts';
import { setWhole } from '../../store/statements/run-work.ts';
import { findSetting, saveSetting } from '../../store/statements/settings.ts';
import {
  enterEntries,
  findBuiltInLists,
  findEntriesOfContacts,
  liftEntries,
  type NewEntry,
} from '../../store/statements/suppression.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import type { Deps } from '../deps.ts';
import { assertExpected, found, Problem } from '../problem.ts';
import { actOfRun, type Doing } from '../piece.ts';

export type { AutomatedPreview } from '../../shared/contract/actors.ts';

const NAME = 'machine rule';
/** So many numbers of contacts are looked at in one statement. */
const WINDOW = 5000;
const SAMPLE = 20;

/** The rule for automated addresses: the default with what was changed. */
export async function findAutomatedRule(sql: Sql): Promise<AutomatedRule> {
  return { ...DEFAULT_AUTOMATED_RULE, ...(await findSetting<AutomatedRule>(sql, NAME)) };
}

/** Addresses that look automated, or were said to be a person's, numbered above `after`. */
export function listLookingAutomated(
  deps: Deps,
  state: AutomatedState,
  after: number,
  limit: number,
): Promise<MarkedRow[]> {
  return listAutomated(deps.database, state, after, limit);
}

/**
 * Whose mark as an automated address would come or go, under the saved rule or one that is tried. Nothing is written.
 */
export async function previewAutomated(deps: Deps, tried: Partial<AutomatedRule> = {}): Promise<AutomatedPreview> {
  const rule = { ...(await findAutomatedRule(deps.database)), ...tried };
  const preview: AutomatedPreview = {
    rule,
    counts: await countAutomated(deps.database),
    toMark: 0,
    toClear: 0,
    sample: [],
  };
  for await (const rows of candidates(deps, rule))
    for (const change of rows.flatMap((row) => changeOf(rule, row))) {
      preview[change.state === 'marked' ? 'toMark' : 'toClear']++;
      const { contactId, address, state: to, because } = change;
      if (preview.sample.length < SAMPLE) preview.sample.push({ contactId, address, to, because });
    }
  return preview;
}

/** Marks automated addresses as a run: it goes through everybody by number. */
export interface FindingMachines {
  do: 'machines';
  rule: AutomatedRule;
  by: 'person' | 'rule';
}

/**
 * Saves the rule if it was changed, and begins to mark by it as one run; entries follow if marks are to stop mail.
 * @throws Problem count-moved
 */
export async function beginAutomated(
  deps: Deps,
  request: {
    rule?: Partial<AutomatedRule>;
    expected: number | null;
    reason: string;
    actor: string;
    actorKind: 'person' | 'rule';
  },
): Promise<number> {
  const { expected, reason, actor, actorKind } = request;
  if (expected !== null) {
    const { toMark, toClear } = await previewAutomated(deps, request.rule);
    assertExpected(expected, toMark + toClear);
  }
  return inTransaction(deps.database, async (sql) => {
    const rule = { ...(await findAutomatedRule(sql)), ...request.rule };
    if (request.rule) await saveSetting(sql, NAME, rule, actor);
    const work: FindingMachines = { do: 'machines', rule, by: actorKind };
    const runId = await insertRun(sql, { kind: 'automated addresses', brandId: null, actor, reason, work });
    await setWhole(sql, runId, await findLastContactId(sql));
    return runId;
  });
}

/** Marks the automated among the next numbers of contacts. */
export const findingMachines: Doing<FindingMachines> = {
  async piece(deps, sql, run) {
    const { rule } = run.work;
    const from = run.after ?? 0;
    const after = from + WINDOW;
    const rows = await listAutomatedCandidates(sql, rule, deps.now(), from, after);
    const changes = rows.flatMap((row) => changeOf(rule, row));
    const act = actOfRun(run);
    await setAutomated(sql, changes, null, act);
    const moved = await followMarks(
      sql,
      rule,
      rows.map((row) => ({ ...row, marked: isMarked(rule, row) })),
      act,
    );
    const numberOf = (state: string): number => changes.filter((change) => change.state === state).length;
    const changed = {
      marked: numberOf('marked'),
      cleared: numberOf('cleared'),
      heldBack: moved.entered,
      lifted: moved.lifted,
    };
    return { after, done: Math.min(after, run.whole), changed, last: after >= run.whole };
  },
  settle: async (deps) => void (await callBackFromSends(deps, 'all')),
};

/** A person says of these what they are: the rule leaves them so. As one run. @throws Problem invalid-input */
export async function judgeAutomated(
  deps: Deps,
  request: { addresses: string[]; as: 'person' | 'machine'; reason: string; actor: string },
): Promise<RunRow> {
  const { addresses, actor, reason } = request;
  const given = addresses.map((text) => ({ text, address: normalOrGiven(text) }));
  const ids = await findContactIds(
    deps.database,
    given.map(({ address }) => address),
  );
  const unknown = given.filter(({ address }) => !ids.has(address));
  if (unknown.length > 0)
    throw new Problem(
      'invalid-input',
      `Not a contact: ${unknown
        .slice(0, 5)
        .map(({ text }) => text)
        .join(', ')}${unknown.length > 5 ? ` and ${unknown.length - 5} more` : ''}. Nothing was changed.`,
      { field: 'addresses' },
    );
  const contactIds = [...ids.values()];
  const state = request.as === 'person' ? 'person' : 'marked';
  const rule = await findAutomatedRule(deps.database);
  const runId = await inTransaction(deps.database, async (sql) => {
    const run = await insertRun(sql, { kind: 'automated addresses', brandId: null, actor, reason });
    const act = { actorKind: 'person' as const, actor, runId: run };
    const changed = await setAutomated(
      sql,
      contactIds.map((contactId) => ({ contactId, state, because: reason })),
      actor,
      act,
    );
    const named = await findAddresses(sql, contactIds);
    await followMarks(
      sql,
      rule,
      contactIds.map((contactId) => ({
        contactId,
        address: named.get(contactId)!,
        marked: state === 'marked',
        evidence: { because: reason },
      })),
      act,
    );
    await finishRun(sql, run, { [state]: changed });
    return run;
  });
  await callBackFromSends(deps, 'all');
  return found(await findRun(deps.database, runId), `run ${runId}`);
}

async function* candidates(deps: Deps, rule: AutomatedRule): AsyncGenerator<AutomatedRow[]> {
  const last = await findLastContactId(deps.database);
  for (let after = 0; after < last; after += WINDOW) {
    const rows = await listAutomatedCandidates(deps.database, rule, deps.now(), after, after + WINDOW);
    if (rows.length > 0) yield rows;
  }
}

/** What the rule changes of one address; what a person decided stands. */
function changeOf(
  rule: AutomatedRule,
  row: AutomatedRow,
): (AutomatedRow & { state: 'marked' | 'cleared'; because: string })[] {
  if (row.decidedBy !== null) return [];
  const because = whyAutomated(rule, row.facts);
  if (because !== undefined && row.state !== 'marked') return [{ ...row, state: 'marked', because }];
  if (because === undefined && row.state === 'marked')
    return [{ ...row, state: 'cleared', because: 'what is on record no longer says so' }];
  return [];
}

function isMarked(rule: AutomatedRule, row: AutomatedRow): boolean {
  return row.decidedBy === null ? whyAutomated(rule, row.facts) !== undefined : row.state === 'marked';
}

/** Entries of the built-in list for those who are marked, if marks stop mail; lifted for all others of them. */
async function followMarks(
  sql: Sql,
  rule: AutomatedRule,
  rows: { contactId: number; address: string; marked: boolean; evidence: unknown; facts?: unknown }[],
  act: Act,
): Promise<{ entered: number; lifted: number }> {
  const listId = (await findBuiltInLists(sql)).get('automated 0')!;
  const stopped = new Set(rows.filter(({ marked }) => rule.stops && marked).map(({ contactId }) => contactId));
  const standing = await findEntriesOfContacts(
    sql,
    rows.map(({ contactId }) => contactId),
    ['automated'],
    null,
  );
  const over = standing.filter(({ contactId }) => !stopped.has(contactId));
  await liftEntries(
    sql,
    over.map(({ id }) => id),
    'no longer taken for an automated address',
    act.actorKind,
    act,
  );
  const entries = rows.flatMap((row): NewEntry[] => {
    if (!stopped.has(row.contactId)) return [];
    const evidence = row.facts ?? row.evidence;
    return [
      {
        listId,
        kind: 'address',
        value: row.address,
        reason: 'looks like an automated address',
        source: 'the rule of automated addresses',
        evidence,
        expiresAt: null,
      },
    ];
  });
  return { entered: (await enterEntries(sql, entries, act)).entered, lifted: over.length };
}
