import type { EntityManager } from 'typeorm';
import { MOST_CHUNK_ROWS } from '../../core/import/chunk-plan.ts';
import { OUTCOME_LETTERS } from '../../core/import/row-outcomes.ts';
import {
  copyInto,
  encodeRow,
  INT8_FIELD_BYTES,
  makeCopyRows,
  ROW_BYTES,
  ROW_HEAD_BYTES,
  type CopyRows,
} from '../import-engine/copying.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';
import type { RowColumns, RowTarget } from './import-rows.ts';

/** Rows whose people are all new. */
export interface NewRows {
  columns: RowColumns;
  /** What becomes of each row: those created or suppressed become contacts, the others stay out. */
  letters: string[];
  /** The first of as many ids as there are rows, which follow one another. */
  firstId: number;
  /** When whoever has no date joined. */
  now: Date;
}

/** The first of `count` ids for new contacts that follow one another, and the transaction's instant. */
export async function drawContactIds(sql: Sql, count: number): Promise<{ firstId: number; now: Date }> {
  const [drawn] = await rowsOf<{ first: string; last: string; now: Date }>(
    sql,
    `SELECT min(id) AS first, max(id) AS last, now() AS now FROM (SELECT nextval('contact_id_seq') AS id FROM generate_series(1, $1::int)) d`,
    [count],
  );
  const firstId = Number(drawn!.first);
  // Somebody drew at the same time, and theirs lie between ours.
  return Number(drawn!.last) - firstId + 1 === count ? { firstId, now: drawn!.now } : drawContactIds(sql, count);
}

/** The memory that the rows of one chunk are made ready in; the next one's once they are copied. */
export interface RowsMemory {
  contacts: CopyRows;
  subscriptions: CopyRows;
}

export function makeRowsMemory(): RowsMemory {
  return {
    contacts: makeCopyRows(MOST_CHUNK_ROWS * ROW_BYTES),
    subscriptions: makeCopyRows(MOST_CHUNK_ROWS * ROW_BYTES),
  };
}

const JUST_NOW_MS = 86_400_000;

/** New rows as COPY reads them. */
export interface EncodedRows {
  contactColumns: string;
  contacts: CopyRows;
  subscriptions: CopyRows;
  /** Who joined just now, which is what Today counts as news, and the others. */
  joined: Joined[];
}

/** Makes rows ready to be copied; those suppressed become contacts and are not subscribed. */
export function encodeNewRows(
  { columns, letters, firstId, now }: NewRows,
  target: RowTarget,
  { contacts, subscriptions }: RowsMemory,
): EncodedRows {
  contacts.clear();
  subscriptions.clear();
  const [news, others] = [makeJoined(), makeJoined()];
  const row = encodeSubscription(target);
  const instantOf = makeInstantReader();
  const { addresses, names } = columns;
  let id = firstId;
  let subscribed = subscriptions.repeated(row, letters.filter((letter) => letter === OUTCOME_LETTERS.created).length);
  letters.forEach((letter, place) => {
    if (letter !== OUTCOME_LETTERS.created && letter !== OUTCOME_LETTERS.suppressed) return;
    const joined = columns.joinedAt?.[place];
    const joinedAt = joined ? instantOf(joined) : now.getTime();
    contacts.begin(columns.attributes ? 5 : 4);
    contacts.int8(id);
    contacts.packed(addresses, place);
    if (names) contacts.packed(names, place);
    else contacts.text(null);
    contacts.instant(joinedAt);
    if (columns.attributes) contacts.jsonb(columns.attributes[place] ?? '{}');
    if (letter === OUTCOME_LETTERS.created) {
      subscriptions.int8At(subscribed + CONTACT_AT, id);
      subscriptions.instantAt(subscribed + SINCE_AT, joinedAt);
      subscribed += row.length;
      (joinedAt > now.getTime() - JUST_NOW_MS ? news : others).add(id, joinedAt);
    }
    id++;
  });
  const contactColumns = `id, address, name, joined_at${columns.attributes ? ', attributes' : ''}`;
  return { contactColumns, contacts, subscriptions, joined: [news, others] };
}

const SUBSCRIPTION_COLUMNS = 'contact_id, since, list_id, state, source';
/** Where the first two stand in a row. */
const CONTACT_AT = ROW_HEAD_BYTES + INT8_FIELD_BYTES - 8;
const SINCE_AT = CONTACT_AT + INT8_FIELD_BYTES;

/** A subscription, as all of an import are but for whose it is and since when. */
function encodeSubscription(target: RowTarget): Buffer {
  return encodeRow((rows) => {
    rows.begin(5);
    rows.int8(0);
    rows.int8(0);
    rows.int4(target.listId);
    rows.text(target.state);
    rows.text(`import ${target.importId}`);
  });
}

/**
 * Copies contacts into the table itself: with their subscriptions 7 µs a row of the server, where COPY into a temporary
 * table and one INSERT take 10. To be run within a transaction, before their subscriptions. If somebody is known, their
 * unique key is violated (SQLSTATE 23505).
 */
export function copyNewContacts(sql: EntityManager, rows: EncodedRows): Promise<void> {
  return copyInto(sql, `contact (${rows.contactColumns})`, rows.contacts);
}

/** Puts new contacts on the list, journaled under a run as sets. */
export async function copyNewSubscriptions(
  sql: EntityManager,
  { subscriptions, joined }: EncodedRows,
  target: RowTarget,
  act: { runId: number; actor: string },
): Promise<void> {
  await copyInto(sql, `subscription (${SUBSCRIPTION_COLUMNS})`, subscriptions);
  for (const set of joined) await noteJoined(sql, set, target, act);
}

/** Reads RFC 3339 instants, of which the same few come again and again in a chunk. */
function makeInstantReader(): (text: string) => number {
  const known = new Map<string, number>();
  return (text) => {
    let instant = known.get(text);
    if (instant === undefined) known.set(text, (instant = Date.parse(text)));
    return instant;
  };
}

/** Ids in rising order, those that follow one another without a gap as one range, and when the last of them joined. */
interface Joined {
  add: (id: number, joinedAt: number) => void;
  latest: () => Date;
  isEmpty: () => boolean;
  multirange: () => string;
}

function makeJoined(): Joined {
  const ranges: { first: number; last: number }[] = [];
  let latest = 0;
  return {
    add(id, joinedAt) {
      latest = Math.max(latest, joinedAt);
      const range = ranges.at(-1);
      if (range?.last === id - 1) range.last = id;
      else ranges.push({ first: id, last: id });
    },
    latest: () => new Date(latest),
    isEmpty: () => ranges.length === 0,
    multirange: () => `{${ranges.map(({ first, last }) => `[${first},${last}]`).join(',')}}`,
  };
}

async function noteJoined(
  sql: Sql,
  joined: Joined,
  target: RowTarget,
  { runId, actor }: { runId: number; actor: string },
): Promise<void> {
  if (joined.isEmpty()) return;
  await execute(
    sql,
    `INSERT INTO journal (run_id, contacts, subject, subject_id, after, actor_kind, actor, cause)
     VALUES ($1, $2::int8multirange, 'subscription', $3, jsonb_build_object('state', $4::text, 'since', $5::timestamptz), 'person', $6, jsonb_build_object('import', $7::int))`,
    [runId, joined.multirange(), target.listId, target.state, joined.latest(), actor, target.importId],
  );
}
