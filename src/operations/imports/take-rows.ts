import { Mutex } from 'async-mutex';
import type { EntityManager } from 'typeorm';
import { OUTCOME_LETTERS } from '../../core/import/row-outcomes.ts';
import { pickTexts } from '../../core/import-engine/packed-texts.ts';
import { isRepeatedKey } from '../../store/database.ts';
import {
  judgeImportRows,
  takeImportRows,
  type RowColumns,
  type RowTarget,
} from '../../store/statements/import-rows.ts';
import {
  copyNewContacts,
  copyNewSubscriptions,
  drawContactIds,
  encodeNewRows,
  makeRowsMemory,
  type RowsMemory,
} from '../../store/statements/new-rows.ts';

/** Takes rows in for a list and answers one letter a row. To be run within a transaction. */
export type TakeRows = (sql: EntityManager, columns: RowColumns, target: RowTarget, runId: number) => Promise<string>;

/**
 * What chunks that are taken in beside each other do one after the other. Two that draw their ids in the same moment
 * would find each other's between theirs. And ids that rise are put at the end of an index, not among others: so one
 * chunk's contacts are copied beside another's subscriptions, which made an import faster by a twentieth.
 */
interface Turns {
  draw: Mutex;
  contacts: Mutex;
  subscriptions: Mutex;
}

/**
 * Takes rows in as new until somebody turns out to be known, and looks everybody up from then on, until a chunk has
 * nobody known again. New people and known ones mostly stand together in a file; a wasted try ends at its first known
 * row.
 */
export function makeTakeRows(actor: string): TakeRows {
  let allNew = true;
  // A megabyte or two for each chunk, taken anew each time, would call the garbage collector again and again.
  const memory: RowsMemory[] = [];
  const turns: Turns = { draw: new Mutex(), contacts: new Mutex(), subscriptions: new Mutex() };
  return async (sql, columns, target, runId) => {
    const someLeave = columns.flags?.includes(OUTCOME_LETTERS['suppressed:left']) ?? false;
    if (
      allNew &&
      !someLeave &&
      columns.suspects &&
      !columns.tags &&
      !columns.consentSources &&
      !columns.consentEvidence
    ) {
      try {
        // Within a transaction this one is a savepoint.
        return await sql.transaction((inner) =>
          takeNewRows(inner, columns, columns.suspects!, target, { runId, actor }, turns, memory),
        );
      } catch (error) {
        if (!isRepeatedKey(error)) throw error;
        allNew = false;
      }
    }
    const letters = await takeImportRows(sql, columns, target, runId, actor);
    allNew = !KNOWN.some((letter) => letters.includes(letter));
    return letters;
  };
}

/**
 * Takes rows in whose people are all new; who may be suppressed is judged as any row.
 * @throws isRepeatedKey when somebody is known
 */
async function takeNewRows(
  sql: EntityManager,
  columns: RowColumns,
  suspects: number[],
  target: RowTarget,
  act: { runId: number; actor: string },
  turns: Turns,
  memory: RowsMemory[],
): Promise<string> {
  const judged = suspects.length === 0 ? '' : await judgeImportRows(sql, rowsAt(columns, suspects), target);
  const letters = columns.flags
    ? columns.flags.map((flag) => flag ?? CREATED)
    : new Array<string>(columns.addresses.length()).fill(CREATED);
  suspects.forEach((place, index) => (letters[place] = judged[index]!));
  const drawn = await turns.draw.runExclusive(() => drawContactIds(sql, letters.length));
  const spare = memory.pop() ?? makeRowsMemory();
  const rows = encodeNewRows({ columns, letters, ...drawn }, target, spare);
  await turns.contacts.runExclusive(() => copyNewContacts(sql, rows));
  await turns.subscriptions.runExclusive(() => copyNewSubscriptions(sql, rows, target, act));
  // When copying fails, the memory is left to whatever still sends from it.
  memory.push(spare);
  return letters.join('');
}

const CREATED = OUTCOME_LETTERS.created;
const KNOWN = [OUTCOME_LETTERS.updated, OUTCOME_LETTERS.unchanged, OUTCOME_LETTERS['suppressed:unsubscribed']];

/** The rows at some places, without what is said of suspects. */
export function rowsAt({ suspects: _, addresses, names, ...rest }: RowColumns, places: number[]): RowColumns {
  const others = Object.entries(rest as Record<string, (string | null)[] | null>);
  return {
    addresses: pickTexts(addresses, places),
    names: names && pickTexts(names, places),
    ...(Object.fromEntries(
      others.map(([name, column]) => [name, column && places.map((place) => column[place]!)]),
    ) as Omit<RowColumns, 'addresses' | 'names'>),
  };
}
