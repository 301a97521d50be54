import { parseAddress } from '../../core/address/normal-form.ts';
import { inTransaction } from '../../store/database.ts';
import { archiveContacts, countSelection, listSelection, restoreContacts, type Selection, type SelectionCount, type Standing } from '../../store/statements/archive.ts'; // prettier-ignore
import { findContactIds } from '../../store/statements/contacts.ts';
import { findRun, finishRun, insertRun, type RunRow } from '../../store/statements/journal.ts';
import { callBackFromSends } from '../campaigns/call-back.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import { eraseContacts } from './erase-contacts.ts';

export type ContactAct = 'archive' | 'restore' | 'erase';

export interface ActRequest {
  act: ContactAct;
  addresses?: string[];
  standing?: Standing;
  /** On a reconciled list, or of ours and not on it. */
  reconciled?: { id: number; on: boolean };
}

export interface ActPreview {
  act: ContactAct;
  /** Contacts that would change. */
  willChange: number;
  /** Contacts meant that stand there already. */
  already: number;
  /** Addresses that are no contact of ours, or no address; the first hundred. */
  unknown: string[];
  sample: SelectionCount['sample'];
}

const MOST_UNKNOWN = 100;

/** Who would change, how many, and a sample. Nothing is written. */
export async function previewAct(deps: Deps, request: ActRequest): Promise<ActPreview> {
  const { selection, unreadable } = readSelection(request);
  const { contacts, archived, sample } = await countSelection(deps.database, selection);
  const already = request.act === 'archive' ? archived : request.act === 'restore' ? contacts - archived : 0;
  return { act: request.act, willChange: contacts - already, already, unknown: [...unreadable, ...(await unknownOf(deps, selection))].slice(0, MOST_UNKNOWN), sample }; // prettier-ignore
}

/** Does it, as one run, if as many change as were expected. @throws Problem count-moved */
export async function applyAct(
  deps: Deps,
  request: ActRequest & { expect: number; reason: string; actor: string },
): Promise<RunRow> {
  const { act, reason, actor } = request;
  const { willChange } = await previewAct(deps, request);
  // What can be undone may have moved a little; what cannot may not.
  const leeway = act === 'erase' ? 0 : Math.max(1, request.expect) * 0.01;
  if (Math.abs(willChange - request.expect) > leeway)
    throw new Problem('count-moved', `${request.expect} were expected to change; now it is ${willChange}.`, { extra: { expected: request.expect, now: willChange } }); // prettier-ignore
  const { selection } = readSelection(request);
  const runId = await (act === 'erase' ? erase(deps, selection, reason, actor) : change(deps, act, selection, reason, actor)); // prettier-ignore
  if (act === 'archive') await callBackFromSends(deps, 'all');
  return found(await findRun(deps.database, runId), `run ${runId}`);
}

function change(
  deps: Deps,
  act: 'archive' | 'restore',
  selection: Selection,
  reason: string,
  actor: string,
): Promise<number> {
  const statement = act === 'archive' ? archiveContacts : restoreContacts;
  return inTransaction(deps.database, async (sql) => {
    const runId = await insertRun(sql, { kind: act, brandId: null, actor, reason });
    const changed = await statement(sql, selection, reason, { actorKind: 'person', actor, runId });
    await finishRun(sql, runId, { [act === 'archive' ? 'archived' : 'restored']: changed });
    return runId;
  });
}

/** Page by page: each is gone for good when it is done, and a run that is interrupted is simply asked for again. */
async function erase(deps: Deps, selection: Selection, reason: string, actor: string): Promise<number> {
  const runId = await insertRun(deps.database, { kind: 'erase', brandId: null, actor, reason });
  let erased = 0;
  for (let after = 0; ;) {
    const ids = await listSelection(deps.database, selection, after, ERASED_AT_ONCE);
    if (ids.length === 0) break;
    erased += await eraseContacts(deps, ids, actor);
    after = ids[ids.length - 1]!;
  }
  await finishRun(deps.database, runId, { erased });
  return runId;
}

/** The kept files of imports are read once for so many people. */
const ERASED_AT_ONCE = 10_000;

function readSelection({ addresses, standing, reconciled }: ActRequest): {
  selection: Selection;
  unreadable: string[];
} {
  const rest = { standing: standing ?? null, reconciled: reconciled ?? null };
  if (addresses === undefined) return { selection: { addresses: null, ...rest }, unreadable: [] };
  const parsed = addresses.map((text) => ({ text, address: parseAddress(text) }));
  return {
    selection: {
      addresses: [...new Set(parsed.flatMap(({ address }) => (address.ok ? [address.address] : [])))],
      ...rest,
    },
    unreadable: parsed.filter(({ address }) => !address.ok).map(({ text }) => text.slice(0, 300)),
  };
}

async function unknownOf(deps: Deps, { addresses }: Selection): Promise<string[]> {
  if (addresses === null) return [];
  const known = await findContactIds(deps.database, addresses);
  return addresses.filter((address) => !known.has(address));
}
