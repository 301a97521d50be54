import { parseAddress } from '../../core/address/normal-form.ts';
import {
  DEFAULT_VERDICT_ACTS,
  findVerdictColumns,
  findVerifier,
  proposeVerdict,
  readVerifierWord,
  type VerdictAct,
} from '../../core/import/read-verdicts.ts';
import { dayOf } from '../../core/time/days.ts';
import type { VerificationHead } from '../../shared/contract/verifications.ts';
import { OUTSIDE_VERDICTS, type OutsideVerdict } from '../../shared/words.ts';
import { inTransaction, overWholeSet } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import { actOnMany, countSelection, type ActOnMany } from '../../store/statements/acts-on-many.ts';
import { findRun, insertRun } from '../../store/statements/journal.ts';
import { selectionOf } from '../../store/statements/selection.ts';
import { findSetting, saveSettingParts } from '../../store/statements/settings.ts';
import { findBuiltInLists, insertSuppressionList, listSuppressionLists } from '../../store/statements/suppression.ts';
import {
  closeVerification,
  deleteVerification,
  insertVerification,
  insertVerifiedRows,
  keepVerifiedTargets,
  listVerifications,
  listWords,
  matchVerifiedRows,
  saveWords,
  setVerdicts,
  type VerificationRow,
  type VerifiedRow,
  type VerifierWord,
} from '../../store/statements/verifications.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import { findZone, instantOf } from '../organisation/zones.ts';
import type { Deps } from '../deps.ts';
import { assertExpected, found, Problem } from '../problem.ts';
import { actOfRun, addCounts, overTargets, type Counts, type Doing } from '../piece.ts';
import { lookAtFile } from '../imports/read-file-head.ts';
import { readUploadedTable } from '../imports/read-uploaded-table.ts';

const VERDICT_ACTS_SETTING = 'verdict-acts';
/** The list on which a verdict of act hold puts contacts until a person decides. */
const HELD_LIST = 'Held after verification';
const BATCH = 10_000;
const MOST_ROWS = 5_000_000;

export type VerdictActs = Record<OutsideVerdict, VerdictAct>;

export interface VerificationRequest {
  name: string;
  /** Who verified: their words are mapped once. */
  source: string;
  /** When they did, as an instant or a day; now, if left out. */
  checkedAt?: string | Date;
  column?: string;
  actor: string;
}

/** A file of a verifier with what its words mean, and what its verdicts would do. */
export interface Verification extends VerificationRow {
  words: (VerifierWord & { proposed: OutsideVerdict | null })[];
  verdicts: {
    verdict: OutsideVerdict;
    contacts: number;
    act: VerdictAct;
    /** The tag or the suppression list that it puts on them or puts them on, by its name. */
    onto: string | null;
    willChange: number;
  }[];
  willChange: number;
}

/**
 * Shows who verified, when, and in which column the verdicts stand, as far as the file says so. Keeps nothing.
 * @throws Problem bad-file
 */
export async function lookAtVerdicts(
  deps: Deps,
  fileName: string,
  bytes: AsyncIterable<Uint8Array>,
): Promise<VerificationHead> {
  const { columns } = await lookAtFile(deps, { fileName, header: true }, bytes);
  const headers = columns.map(({ header }) => header);
  const rows = (columns[0]?.samples ?? []).map((_, row) => columns.map(({ samples }) => samples[row] ?? ''));
  const places = findVerdictColumns(headers);
  return { columns: headers, verdict: places.ok ? headers[places.verdict]! : null, ...findVerifier(headers, rows) };
}

/**
 * Takes a verifier's file in and finds the contacts it speaks of; marks nobody yet.
 * @throws Problem bad-file, invalid-input
 */
export async function receiveVerification(
  deps: Deps,
  request: VerificationRequest,
  bytes: AsyncIterable<Uint8Array>,
): Promise<Verification> {
  const now = deps.now();
  const checkedAt = request.checkedAt ? await instantOf(deps.database.manager, request.checkedAt, 'checkedAt') : now;
  if (checkedAt > now)
    throw new Problem('invalid-input', 'Nobody can have checked it later than now.', { field: 'checkedAt' });
  const id = await insertVerification(deps.database, { ...request, checkedAt });
  try {
    if ((await keepRows(deps, id, request, bytes)) === 0)
      throw new Problem('bad-file', `${request.name} has a header and no rows.`);
    await overWholeSet(deps.database, (sql) => matchVerifiedRows(sql, id));
  } catch (error) {
    await deleteVerification(deps.database, id);
    throw error;
  }
  return getVerification(deps, id);
}

async function keepRows(
  deps: Deps,
  id: number,
  { name, column }: VerificationRequest,
  bytes: AsyncIterable<Uint8Array>,
): Promise<number> {
  let places: { address: number; verdict: number } | undefined;
  let rowNo = 0;
  let batch: VerifiedRow[] = [];
  for await (const records of readUploadedTable(name, bytes))
    for (const { cells, error } of records) {
      if (!places) {
        places = placesOf(name, cells ?? [error], column);
        continue;
      }
      batch.push(verifiedRow(++rowNo, cells, error, places));
      if (rowNo > MOST_ROWS)
        throw new Problem('bad-file', `${name} has more than ${MOST_ROWS.toLocaleString('en-GB')} rows.`);
      if (batch.length < BATCH) continue;
      await insertVerifiedRows(deps.database, id, batch);
      batch = [];
    }
  if (batch.length > 0) await insertVerifiedRows(deps.database, id, batch);
  return rowNo;
}

function placesOf(name: string, headers: string[], column: string | undefined): { address: number; verdict: number } {
  const places = findVerdictColumns(headers, column);
  if (places.ok) return places;
  const what = places.missing === 'address' ? 'addresses' : 'verdicts; say which one it is';
  throw new Problem(
    'bad-file',
    `${name} has no column of ${what}. Its columns are: ${headers.join(', ').slice(0, 300)}.`,
    { field: places.missing === 'address' ? undefined : 'column' },
  );
}

function verifiedRow(
  rowNo: number,
  cells: string[] | null,
  error: string,
  places: { address: number; verdict: number },
): VerifiedRow {
  if (!cells) return { rowNo, given: error.slice(0, 300), address: null, word: '' };
  const given = (cells[places.address] ?? '').trim().slice(0, 300);
  const parsed = parseAddress(given);
  return {
    rowNo,
    given,
    address: parsed.ok ? parsed.address : null,
    word: readVerifierWord(cells[places.verdict] ?? ''),
  };
}

async function findFile(deps: Deps, id: number): Promise<VerificationRow> {
  return found((await listVerifications(deps.database, id, 2_147_483_647, 1))[0], `verification ${id}`);
}

/** Verifications numbered below `before`, latest first. */
export function listLatestVerifications(deps: Deps, before: number, limit: number): Promise<VerificationRow[]> {
  return listVerifications(deps.database, null, before, limit);
}

/** A verification file with what its words mean and what each verdict would do now. @throws Problem not-found */
export async function getVerification(deps: Deps, id: number): Promise<Verification> {
  const row = await findFile(deps, id);
  const acts = await findVerdictActs(deps);
  return overWholeSet(deps.database, async (sql) => {
    const words = await listWords(sql, id);
    const said = OUTSIDE_VERDICTS.filter((verdict) => words.some((word) => word.verdict === verdict));
    const verdicts = [];
    for (const verdict of said) verdicts.push(await weigh(sql, id, verdict, acts[verdict]));
    return {
      ...row,
      words: words.map((word) => ({ ...word, proposed: word.verdict ?? proposeVerdict(word.word) })),
      verdicts,
      willChange: verdicts.reduce((sum, one) => sum + one.willChange, 0),
    };
  });
}

async function weigh(
  sql: Sql,
  id: number,
  verdict: OutsideVerdict,
  act: VerdictAct,
): Promise<Verification['verdicts'][number]> {
  const selection = selectionOf({ verified: { id, verdict } });
  const what = await actOf(sql, verdict, act);
  const { contacts, willChange } = await countSelection(sql, selection, what ?? { act: 'archive' });
  return { verdict, contacts, act, onto: await nameOf(sql, act, what), willChange: what ? willChange : 0 };
}

/** What an act puts on contacts, or puts them on, as people call it. */
async function nameOf(sql: Sql, act: VerdictAct, what: ActOnMany | undefined): Promise<string | null> {
  if (act === 'hold') return HELD_LIST;
  if (what?.act === 'tag') return what.tag;
  if (what?.act !== 'suppress') return null;
  return (await listSuppressionLists(sql)).find(({ id }) => id === what.suppressionListId)?.name ?? null;
}

/**
 * What a verdict's act is on contacts; nothing where it does nothing. A held list that is not there yet has the number
 * 0.
 */
async function actOf(sql: Sql, verdict: OutsideVerdict, act: VerdictAct): Promise<ActOnMany | undefined> {
  switch (act) {
    case 'suppress':
      return {
        act,
        suppressionListId: (await findBuiltInLists(sql)).get(verdict === 'trap' ? 'spam-trap 0' : 'invalid 0')!,
      };
    case 'hold':
      return { act: 'suppress', suppressionListId: (await findHeldList(sql)) ?? 0 };
    case 'tag':
      return { act, tag: `verdict:${verdict}` };
    case 'nothing':
      return undefined;
  }
}

async function findHeldList(sql: Sql): Promise<number | undefined> {
  return (await listSuppressionLists(sql)).find(
    (list) => list.name === HELD_LIST && !list.builtIn && list.scope === 'organisation',
  )?.id;
}

/** What is done on each verdict: the defaults with what was changed. */
export async function findVerdictActs(deps: Deps): Promise<VerdictActs> {
  return { ...DEFAULT_VERDICT_ACTS, ...(await findSetting<Partial<VerdictActs>>(deps.database, VERDICT_ACTS_SETTING)) };
}

/** Changes what is done on the verdicts that are named, and answers all. */
export async function saveVerdictActs(deps: Deps, change: Partial<VerdictActs>, actor: string): Promise<VerdictActs> {
  await saveSettingParts(deps.database, VERDICT_ACTS_SETTING, change, actor);
  return findVerdictActs(deps);
}

/** Says what a verifier's words mean, now and in their later files. */
export async function mapWords(deps: Deps, id: number, words: Record<string, OutsideVerdict>): Promise<Verification> {
  const { source } = await findFile(deps, id);
  await saveWords(
    deps.database,
    source,
    Object.fromEntries(Object.entries(words).map(([word, verdict]) => [readVerifierWord(word), verdict])),
  );
  return getVerification(deps, id);
}

/** Verdicts of a file given by a run, with what each of them asks for. */
export interface TakingVerdicts {
  do: 'verdicts';
  verification: number;
  acts: { act: ActOnMany; verdict: OutsideVerdict; as: string; reason: string }[];
  by: 'person';
}

/**
 * Begins to give contacts their verdicts and to do what the verdicts ask, as one run.
 * @throws Problem wrong-state (a word without meaning, or applied before), count-moved
 */
export async function beginVerdicts(
  deps: Deps,
  id: number,
  request: { expect: number; reason: string; actor: string },
): Promise<number> {
  const one = await getVerification(deps, id);
  if (one.runId !== null && !(await isUndone(deps, one.runId))) throw appliedBefore(one);
  const unsaid = one.words.filter((word) => word.verdict === null);
  if (unsaid.length > 0)
    throw new Problem(
      'wrong-state',
      `What do these words of ${one.source} mean: ${unsaid
        .slice(0, 10)
        .map(({ word }) => `“${word}”`)
        .join(', ')}?`,
    );
  assertExpected(request.expect, one.willChange);
  return overWholeSet(deps.database, async (sql) => {
    const acts = await actsOf(sql, one);
    const work: TakingVerdicts = { do: 'verdicts', verification: id, acts, by: 'person' };
    const runId = await insertRun(sql, {
      kind: 'verify',
      brandId: null,
      actor: request.actor,
      reason: request.reason,
      work,
    });
    await keepVerifiedTargets(sql, runId, id);
    // Of two at once the second waits here, and finds it done.
    if (!(await closeVerification(sql, id, runId))) throw appliedBefore(one);
    return runId;
  });
}

async function isUndone({ database }: Deps, runId: number): Promise<boolean> {
  return (await findRun(database, runId))?.undoneByRunId !== null;
}

function appliedBefore({ name, runId }: Pick<Verification, 'name' | 'runId'>): Problem {
  const which = runId === null ? '' : ` by run ${runId}; undo that one first`;
  return new Problem('wrong-state', `${name} was applied already${which}.`);
}

/** What the verdicts of a file ask for; the list of those who are held is made where there is none. */
async function actsOf(sql: Sql, { verdicts, source, checkedAt }: Verification): Promise<TakingVerdicts['acts']> {
  if (verdicts.some(({ act }) => act === 'hold') && (await findHeldList(sql)) === undefined)
    await insertSuppressionList(sql, {
      name: HELD_LIST,
      builtIn: null,
      scope: 'organisation',
      scopeId: null,
      reach: 'marketing',
      exact: false,
    });
  const checkedOn = dayOf(checkedAt.getTime(), await findZone(sql));
  const acts: TakingVerdicts['acts'] = [];
  for (const { verdict, act } of verdicts) {
    const what = await actOf(sql, verdict, act);
    if (what && act !== 'nothing')
      acts.push({ act: what, verdict, as: AS[act], reason: `${verdict}, says ${source} of ${checkedOn}` });
  }
  return acts;
}

/** How each act is counted. */
const AS = { suppress: 'suppressed', hold: 'held', tag: 'tagged' } as const;

/** Gives the targets of a run their verdicts, and does what these ask for. */
export const takingVerdicts: Doing<TakingVerdicts> = {
  piece: (_, sql, run) =>
    overTargets(sql, run, async (ids) => {
      const { verification: id, acts } = run.work;
      let counts: Counts = { verdicts: await setVerdicts(sql, id, ids, actOfRun(run)) };
      for (const { act, verdict, as, reason } of acts) {
        const selection = selectionOf({ ids, verified: { id, verdict } });
        counts = addCounts(counts, { [as]: await actOnMany(sql, selection, act, reason, actOfRun(run)) });
      }
      return counts;
    }),
  settle: async (deps) => void (await callBackFromSends(deps, 'all')),
};

/** Removes a file and its rows; what it did to contacts stays. */
export async function forgetVerification(deps: Deps, id: number): Promise<void> {
  await inTransaction(deps.database, async (sql) => {
    if (!(await deleteVerification(sql, id))) throw new Problem('not-found', `There is no verification ${id}.`);
  });
}
