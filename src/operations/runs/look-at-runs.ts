import {
  findRun,
  listJournal,
  listRuns,
  listSetContacts,
  type JournalRow,
  type RunRow,
} from '../../store/statements/journal.ts';
import { listLeftAlone } from '../../store/statements/undo-run.ts';
import type { Deps } from '../deps.ts';
import { found } from '../problem.ts';
import { overFilter } from '../segments/within-time.ts';

/** Runs numbered below `before`, latest first. */
export function listLatestRuns(deps: Deps, before: number, limit: number): Promise<RunRow[]> {
  return listRuns(deps.database, before, limit);
}

/** @throws Problem not-found */
export async function getRun(deps: Deps, id: number): Promise<RunRow> {
  return found(await findRun(deps.database, id), `run ${id}`);
}

/**
 * What a run changed, line by line, latest first; with `where`, only of contacts of a brand that a condition meets.
 * @throws Problem bad-condition, took-too-long
 */
export function listChangesOfRun(
  deps: Deps,
  id: number,
  { where, brandId }: { where?: string; brandId?: number },
  before: number,
  limit: number,
): Promise<JournalRow[]> {
  return overFilter(deps, { where: where ?? null, brandId: brandId ?? 0, among: null, since: null }, (sql) =>
    listJournal(sql, { runId: id, matching: where !== undefined }, before, limit),
  );
}

/** The contacts of a line of the journal that stands for many, numbered above `after`. */
export function listContactsOfLine(
  deps: Deps,
  journalId: number,
  after: number,
  limit: number,
): ReturnType<typeof listSetContacts> {
  return listSetContacts(deps.database, journalId, after, limit);
}

/** What the undo of a run left as it is, because something later changed it again. */
export function listLeftByUndo(deps: Deps, id: number, after: number, limit: number): ReturnType<typeof listLeftAlone> {
  return listLeftAlone(deps.database, id, after, limit);
}
