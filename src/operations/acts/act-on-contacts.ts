import type { ActPreview, ActSelection } from '../../shared/contract/acts.ts';
import { parseAddress } from '../../core/address/normal-form.ts';
import { ListEntity, BrandEntity } from '../../store/entities/organisation.ts';
import {
  actOnMany,
  countSelection,
  keepActTargets,
  keepConcerned,
  type ActOnMany,
} from '../../store/statements/acts-on-many.ts';
import { findContactIds, fullFilter } from '../../store/statements/contacts.ts';
import { lockContacts } from '../../store/statements/marks.ts';
import type { Sql } from '../../store/sql.ts';
import { countStillMailable, type StillMailable } from '../../store/statements/mailable.ts';
import { insertRun } from '../../store/statements/journal.ts';
import { selectionOf, type Selection } from '../../store/statements/selection.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import type { Deps } from '../deps.ts';
import { assertExpected, found, Problem } from '../problem.ts';
import { actOfRun, overTargets, type Doing } from '../piece.ts';
import { overFilter } from '../segments/within-time.ts';
import { getSuppressionList } from '../suppression/keep-entries.ts';
import type { Erasing } from './erase-contacts.ts';

export type ActRequest = ActSelection;

export type { ActPreview } from '../../shared/contract/acts.ts';

const MOST_UNKNOWN = 100;

/** Who would change, how many, and a sample. Nothing is written. @throws Problem not-found, built-in, invalid-input */
export async function previewAct(deps: Deps, request: ActRequest): Promise<ActPreview> {
  const { selection, unreadable } = readSelection(request);
  const act = await readAct(deps, request);
  const { contacts, willChange, sample, stillMailable } = await overSelection(deps, selection, async (sql) => ({
    ...(await countSelection(sql, selection, act)),
    stillMailable: await countConcerned(sql, selection, act),
  }));
  const unknown = [...unreadable, ...(await unknownOf(deps, selection))].slice(0, MOST_UNKNOWN);
  return { act: request.act, willChange, already: contacts - willChange, unknown, sample, stillMailable };
}

/** Acts after which no brand writes to somebody any more, whichever brand they were begun for. */
const OF_ALL_BRANDS: ReadonlySet<string> = new Set(['archive', 'erase']);

async function countConcerned(
  sql: Sql,
  selection: Selection,
  act: ActOnMany | { act: 'erase' },
): Promise<StillMailable> {
  if (!OF_ALL_BRANDS.has(act.act)) return { contacts: 0, brands: [] };
  await keepConcerned(sql, selection, act);
  return countStillMailable(sql);
}

/**
 * An act on the whole contact ends what other brands write, too: whoever does it has seen for how many.
 * @throws Problem still-mailable
 */
function assertMailableSeen({ contacts, brands }: StillMailable, seen: number): void {
  if (contacts === seen) return;
  const of = brands.map((brand) => `${brand.contacts} by ${brand.brandName}`).join(', ');
  throw new Problem(
    'still-mailable',
    contacts === 0
      ? `None of these may be written to any more; ${seen} were expected.`
      : `${contacts} of these may still be written to: ${of}. Nothing was changed.`,
    {
      field: 'expectMailable',
      extra: { stillMailable: { contacts, brands } },
    },
  );
}

/** An act that a run does, as it is kept with the run: whom it concerns are the run's targets. */
export interface Acting {
  do: 'act';
  act: ActOnMany;
  by: 'person';
}

/**
 * Begins it as one run, if as many would change as were expected. Whom it concerns is settled now: who comes to match
 * the filter later is not among them. @throws Problem count-moved, still-mailable and those of the preview
 */
export async function beginAct(
  deps: Deps,
  request: ActRequest & { expect: number; expectMailable?: number; reason: string; actor: string },
): Promise<number> {
  const { expect, expectMailable = 0, reason, actor } = request;
  const { selection } = readSelection(request);
  const act = await readAct(deps, request);
  const work: Acting | Erasing = act.act === 'erase' ? { do: 'erase', by: 'person' } : { do: 'act', act, by: 'person' };
  return overSelection(deps, selection, async (sql) => {
    const brandId = 'brandId' in act ? act.brandId : null;
    const runId = await insertRun(sql, { kind: act.act, brandId, actor, reason, work });
    // What can be undone may have moved a little; what cannot may not.
    assertExpected(expect, await keepActTargets(sql, runId, selection, act), act.act === 'erase' ? 0 : undefined);
    assertMailableSeen(await countConcerned(sql, selection, act), expectMailable);
    return runId;
  });
}

/** Acts after which a send that is under way has to look again. */
const STOPPING: ReadonlySet<string> = new Set(['archive', 'suppress', 'unsubscribe']);

const DONE: Readonly<Record<ActOnMany['act'], string>> = {
  archive: 'archived',
  restore: 'restored',
  tag: 'tagged',
  untag: 'untagged',
  suppress: 'entered',
  unsubscribe: 'unsubscribed',
  subscribe: 'subscribed',
  ask: 'asked',
};

/** Acts on the targets of a run; who has changed meanwhile so that the act would do nothing is passed over. */
export const acting: Doing<Acting> = {
  piece: (_, sql, run) =>
    overTargets(sql, run, async (ids) => {
      const { act } = run.work;
      // What somebody does meanwhile comes before or after, never in between.
      await lockContacts(sql, ids);
      return { [DONE[act.act]]: await actOnMany(sql, selectionOf({ ids }), act, run.reason, actOfRun(run)) };
    }),
  async settle(deps, { work: { act } }) {
    if (STOPPING.has(act.act)) await callBackFromSends(deps, 'all');
    if (act.act === 'ask') deps.announce('confirm');
  },
};

/** An act with what it needs, which must be given and exist. */
async function readAct(deps: Deps, request: ActRequest): Promise<ActOnMany | { act: 'erase' }> {
  const { act } = request;
  switch (act) {
    case 'tag':
    case 'untag':
      return { act, tag: needed(request, 'tag') };
    case 'suppress': {
      const list = await getSuppressionList(deps, needed(request, 'suppressionListId'));
      if (list.builtIn)
        throw new Problem('built-in', `“${list.name}” is filled by rules. Choose a list of your own.`, {
          field: 'suppressionListId',
        });
      return { act, suppressionListId: list.id };
    }
    case 'unsubscribe': {
      const brandId = needed(request, 'brandId');
      found(await deps.database.getRepository(BrandEntity).findOneBy({ id: brandId }), `brand ${brandId}`);
      return { act, brandId };
    }
    case 'ask':
    case 'subscribe': {
      const listId = needed(request, 'listId');
      const list = found(await deps.database.getRepository(ListEntity).findOneBy({ id: listId }), `list ${listId}`);
      if (act === 'ask') return { act, listId, brandId: list.brandId };
      return { act, listId, brandId: list.brandId, state: list.optIn === 'double' ? 'pending' : 'subscribed' };
    }
    default:
      return { act };
  }
}

function needed<K extends 'tag' | 'suppressionListId' | 'brandId' | 'listId'>(
  request: ActRequest,
  field: K,
): NonNullable<ActRequest[K]> {
  const value = request[field];
  if (value === undefined) throw new Problem('invalid-input', `To ${request.act}, say ${field}.`, { field });
  return value;
}

/** Works in one transaction in which whatever a selection speaks of has been worked out beforehand. */
function overSelection<T>(deps: Deps, selection: Selection, work: (sql: Sql) => Promise<T>): Promise<T> {
  return overFilter(deps, selection.filter, work, { byReach: selection.standing === 'unreachable' });
}

function readSelection(request: ActRequest): { selection: Selection; unreadable: string[] } {
  const rest = {
    standing: request.standing ?? null,
    reconciled: request.reconciled ?? null,
    filter: request.filter ? fullFilter(request.filter) : null,
  };
  if (request.addresses === undefined) return { selection: selectionOf(rest), unreadable: [] };
  const parsed = request.addresses.map((text) => ({ text, address: parseAddress(text) }));
  const addresses = [...new Set(parsed.flatMap(({ address }) => (address.ok ? [address.address] : [])))];
  return {
    selection: selectionOf({ addresses, ...rest }),
    unreadable: parsed.filter(({ address }) => !address.ok).map(({ text }) => text.slice(0, 300)),
  };
}

async function unknownOf(deps: Deps, { addresses }: Selection): Promise<string[]> {
  if (addresses === null) return [];
  const known = await findContactIds(deps.database, addresses);
  return addresses.filter((address) => !known.has(address));
}
