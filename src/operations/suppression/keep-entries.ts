import type { EnteredEntries } from '../../shared/contract/suppression.ts';
import { parseEntry, suppressionKeys } from '../../core/address/suppression-keys.ts';
import { CONSENT, standingOfEntry, whyStaffMayNotLift } from '../../core/consent/consent-table.ts';
import { inTransaction, violates } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import type { Reach, Scope } from '../../shared/words.ts';
import { finishRun, insertRun, type Act } from '../../store/statements/journal.ts';
import {
  askForEntriesAgain,
  enterEntries,
  insertSuppressionList,
  liftEntries,
  listEntries,
  listSuppressionLists,
  lockEntriesToLift,
  type EntryRow,
  type EntryStanding,
  type NewEntry,
  type SuppressionListRow,
} from '../../store/statements/suppression.ts';
import { findContactIds } from '../../store/statements/contacts.ts';
import { findBounceRule } from '../../store/statements/rules.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import type { Deps } from '../deps.ts';
import { lockContacts } from '../../store/statements/marks.ts';
import { markDeliverability } from '../marks/mark-deliverability.ts';
import { restartSilence } from '../rules/restart-silence.ts';
import { found, Problem } from '../problem.ts';
import { instantOf } from '../organisation/zones.ts';

/** A list of one’s own. `scopeId` is the brand or list that it holds for; null for the organisation. */
export interface NewSuppressionList {
  name: string;
  scope: Scope;
  scopeId?: number | null;
  reach: Reach;
  exact: boolean;
}

/** @throws Problem name-taken */
export async function createSuppressionList(deps: Deps, list: NewSuppressionList): Promise<SuppressionListRow> {
  try {
    const id = await insertSuppressionList(deps.database, { scopeId: null, ...list, builtIn: null });
    return await getSuppressionList(deps, id);
  } catch (error) {
    if (violates(error, 'suppression_list_name_key'))
      throw new Problem('name-taken', `There is a suppression list “${list.name}” of this scope.`, { field: 'name' });
    throw error;
  }
}

/** @throws Problem not-found */
export async function getSuppressionList(deps: Deps, id: number): Promise<SuppressionListRow> {
  return found(
    (await listSuppressionLists(deps.database)).find((list) => list.id === id),
    `suppression list ${id}`,
  );
}

/** Suppression lists, those that rules fill first. */
export function listAllSuppressionLists(deps: Deps): Promise<SuppressionListRow[]> {
  return listSuppressionLists(deps.database);
}

/** Which entries of a list, and in which order. */
export interface EntriesFilter {
  standing: EntryStanding;
  part: string;
  order: 'oldest' | 'newest';
}

/** Entries of a list after a number, and who may lift each. @throws Problem not-found */
export async function listEntriesOfList(
  deps: Deps,
  listId: number,
  { standing, part, order }: EntriesFilter,
  after: number | null,
  limit: number,
): Promise<ReturnType<typeof withLifting<EntryRow>>[]> {
  await getSuppressionList(deps, listId);
  return (await listEntries(deps.database, listId, standing, part, order, after, limit)).map(withLifting);
}

/** What is to be entered: addresses, domains (a leading dot takes in subdomains) or SHA-256 in hex. */
export interface EntriesRequest {
  listId: number;
  values: string[];
  reason: string;
  /** From then on they stop nobody: an instant, or a day in the zone of the list's brand. */
  expiresAt: string | Date | null;
  actor: string;
}

/** What became of each; rows count from 1. */
export type { EnteredEntries } from '../../shared/contract/suppression.ts';

/** A suppression list that is not filled by rules. @throws Problem built-in, not-found */
export async function getListOfPeople(deps: Deps, id: number): Promise<SuppressionListRow> {
  const list = await getSuppressionList(deps, id);
  if (list.builtIn)
    throw new Problem('built-in', `“${list.name}” is filled by rules. Put your own entries on a list of your own.`, {
      field: 'listId',
    });
  return list;
}

/**
 * Enters what was asked for, each value once; what stands already is asked for again. Contacts are locked first, as an
 * undo does: of an undo of what entered it first and of this, one sees what the other did.
 */
export async function enterAll(sql: Sql, asked: NewEntry[], act: Act): Promise<{ entered: number; known: number }> {
  await lockContacts(sql, [
    ...(
      await findContactIds(
        sql,
        asked.map(({ value }) => value),
      )
    ).values(),
  ]);
  const entryIds: number[] = [];
  let again: number;
  // One that stood when it was entered, and was lifted before it could be asked for again, is entered after all.
  do {
    entryIds.push(...(await enterEntries(sql, asked, act)).entryIds);
    again = await askForEntriesAgain(sql, asked, entryIds, act);
  } while (entryIds.length + again < asked.length);
  return { entered: entryIds.length, known: asked.length - entryIds.length };
}

/**
 * Enters addresses, domains and hashes on a list kept by people, as one run; what cannot be read is reported by row,
 * the rest is kept.
 */
export async function addEntries(deps: Deps, request: EntriesRequest): Promise<EnteredEntries> {
  const list = await getListOfPeople(deps, request.listId);
  const brandId = list.scope === 'brand' ? list.scopeId : null;
  const expiresAt =
    request.expiresAt &&
    (await instantOf(deps.database.manager, request.expiresAt, 'expiresAt', brandId)).toISOString();
  const refused: EnteredEntries['refused'] = [];
  const entries = new Map<string, NewEntry>();
  request.values.forEach((value, index) => {
    const parsed = parseEntry(value);
    if (!parsed)
      refused.push({
        row: index + 1,
        value: value.slice(0, 300),
        detail: 'neither an address, a domain nor a SHA-256',
      });
    else
      entries.set(parsed.value, {
        listId: list.id,
        ...parsed,
        reason: request.reason,
        source: request.actor,
        evidence: null,
        expiresAt,
      });
  });
  const result = await inTransaction(deps.database, async (sql) => {
    const runId = await insertRun(sql, {
      kind: 'suppress',
      brandId: null,
      actor: request.actor,
      reason: request.reason,
    });
    const act = { actorKind: 'person' as const, actor: request.actor, runId };
    const counts = await enterAll(sql, [...entries.values()], act);
    await finishRun(sql, runId, { ...counts, refused: refused.length });
    return { runId, ...counts };
  });
  return { ...result, refused, onTheirWay: await callBackEntries(deps, list, new Set(entries.keys())) };
}

/** A domain or a hash can name anybody, and an address whoever has a sub-address of it. */
async function callBackEntries(
  deps: Deps,
  { exact }: SuppressionListRow,
  values: ReadonlySet<string>,
): Promise<number> {
  if (values.size === 0) return 0;
  return callBackFromSends(deps, 'all', (address) => {
    const keys = suppressionKeys(address);
    return [keys.exact, keys.hash, ...keys.domains, ...(exact ? [] : [keys.base])].some((key) => values.has(key));
  });
}

/** How many were lifted, and how many were past already. */
export interface LiftedEntries {
  runId: number;
  lifted: number;
}

/**
 * Lifts entries, with a reason, as one run. Lifting a bounce entry makes the address deliverable again, lifting a
 * sunset entry counts silence afresh. What the contact said themselves staff cannot lift, as core/consent/consent-table
 * has it: then nothing is lifted. @throws Problem not-liftable, not-found
 */
export async function liftByPerson(
  deps: Deps,
  entryIds: number[],
  reason: string,
  actor: string,
): Promise<LiftedEntries> {
  return inTransaction(deps.database, async (sql) => {
    await assertLiftable(sql, entryIds);
    const runId = await insertRun(sql, { kind: 'lift', brandId: null, actor, reason });
    const act = { actorKind: 'person' as const, actor, runId };
    const lifted = await liftEntries(sql, entryIds, reason, 'person', act);
    const contactsOf = (kinds: string[]): number[] =>
      lifted.filter((row) => row.contactId !== null && kinds.includes(row.builtIn ?? '')).map((row) => row.contactId!);
    await lockContacts(sql, contactsOf(['hard-bounce', 'bounce-count', 'sunset']));
    await markDeliverability(
      sql,
      contactsOf(['hard-bounce', 'bounce-count']),
      await findBounceRule(sql),
      deps.now(),
      act,
    );
    const woken = lifted.flatMap(({ builtIn, contactId, scopeId }) =>
      builtIn === 'sunset' && contactId !== null && scopeId !== null ? [{ contactId, brandId: scopeId }] : [],
    );
    await restartSilence(deps, sql, woken, act);
    await finishRun(sql, runId, { lifted: lifted.length });
    if (lifted.length === 0) throw new Problem('not-found', 'None of these entries is in effect.');
    return { runId, lifted: lifted.length };
  });
}

async function assertLiftable(sql: Sql, entryIds: number[]): Promise<void> {
  const refused = (await lockEntriesToLift(sql, entryIds)).flatMap((entry) => {
    const { id, builtIn, endedBy, leftSince } = entry;
    const because =
      whyStaffMayNotLift(builtIn, endedBy) ?? (leftSince ? CONSENT[standingOfEntry(builtIn, endedBy)].only : null);
    return because === null ? [] : [{ entryId: id, because }];
  });
  const [first] = refused;
  if (first)
    throw new Problem(
      'not-liftable',
      `${first.because}${refused.length > 1 ? ` The same goes for ${refused.length - 1} more of these entries.` : ''} Nothing was lifted.`,
      {
        field: 'entryIds',
        extra: { entryIds: refused.map(({ entryId }) => entryId) },
      },
    );
}

/** An entry with why staff may not lift it; null when they may. */
export function withLifting<E extends Pick<EntryRow, 'builtIn' | 'endedBy'>>(
  entry: E,
): E & { notLiftable: string | null } {
  return { ...entry, notLiftable: whyStaffMayNotLift(entry.builtIn, entry.endedBy) };
}
