import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { beginAct, previewAct, type ActRequest } from '../../src/operations/acts/act-on-contacts.ts';
import { beginUndo } from '../../src/operations/runs/undo-run.ts';
import { makeRunTries, stopRun, workFirst, workPiece, workThrough } from '../../src/operations/runs/work-through.ts';
import { PIECE } from '../../src/operations/piece.ts';
import { findRun } from '../../src/store/statements/journal.ts';
import { listOpenRuns } from '../../src/store/statements/run-work.ts';
import { makeDeps } from '../support/database.ts';
import { undoRun } from '../support/runs.ts';
import { until } from '../support/service.ts';
import { makeSmallWorld, type SmallWorld } from '../support/world.ts';

/** Two pieces and a half. */
const PEOPLE = PIECE * 2.5;
const actor = 'Rosa Lindgard';
let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
let announced: string[] = [];

beforeAll(async () => {
  deps = await makeDeps();
  deps.announce = (work) => void announced.push(work);
  world = inOrderOfNumber(await makeSmallWorld(deps, PEOPLE));
}, 120_000);
afterAll(() => deps.close());

/** Pieces go by the numbers of contacts, which an import gives in no order of its rows. */
function inOrderOfNumber({ contactIds, addresses, ...rest }: SmallWorld): SmallWorld {
  const people = contactIds.map((id, index) => ({ id, address: addresses[index]! })).sort((a, b) => a.id - b.id);
  return { ...rest, contactIds: people.map(({ id }) => id), addresses: people.map(({ address }) => address) };
}

const everybody = (): Pick<ActRequest, 'filter'> => ({ filter: { brandId: world.brandId, listId: world.listId } });

async function begin(act: Pick<ActRequest, 'act' | 'tag'>): Promise<number> {
  const request = { ...act, ...everybody() };
  const { willChange, stillMailable } = await previewAct(deps, request);
  return beginAct(deps, {
    ...request,
    expect: willChange,
    expectMailable: stillMailable.contacts,
    reason: 'a test',
    actor,
  });
}

const run = async (id: number) => (await findRun(deps.database, id))!;

async function count(sql: string, ...parameters: unknown[]): Promise<number> {
  const [row]: { n: number }[] = await deps.database.query(`SELECT (${sql})::int AS n`, parameters);
  return row!.n;
}
const tagged = (tag: string): Promise<number> => count('SELECT count(*) FROM contact WHERE $1 = ANY(tags)', tag);
const targets = (): Promise<number> => count('SELECT count(*) FROM run_target');
/** Lines of the journal about single contacts, a set being as many as are in it. */
const journaled = (id: number): Promise<number> =>
  count(
    'SELECT count(contact_id) + coalesce(sum((SELECT sum(upper(r) - lower(r)) FROM unnest(contacts) r)), 0) FROM journal WHERE run_id = $1',
    id,
  );

test('the first piece of a run is done with the answer, the rest by the workers, and whoever changed meanwhile is passed over', async () => {
  const id = await begin({ act: 'tag', tag: 'fair' });
  announced = [];
  expect(await workFirst(deps, id)).toMatchObject({
    done: PIECE,
    whole: PEOPLE,
    counts: { tagged: PIECE },
    finishedAt: null,
    stopped: null,
  });
  expect(announced).toEqual(['run']);
  expect(await tagged('fair')).toBe(PIECE);
  // Under way it cannot be undone; somebody at the end has the tag by other means; and one comes too late for this run.
  await expect(undoRun(deps, id, 'early', actor)).rejects.toMatchObject({ code: 'wrong-state' });
  await deps.database.query(`UPDATE contact SET tags = '{fair}' WHERE id = $1`, [world.contactIds.at(-1)]);
  const ended = await workThrough(deps, id);
  expect(ended).toMatchObject({ done: PEOPLE, whole: PEOPLE, counts: { tagged: PEOPLE - 1 } });
  expect(ended.finishedAt).not.toBeNull();
  expect(await journaled(id)).toBe(PEOPLE - 1);
  expect(await targets()).toBe(0);

  expect(await undoRun(deps, id, 'a slip', actor)).toMatchObject({ restored: PEOPLE - 1, leftAlone: 0 });
  expect(await tagged('fair')).toBe(1);
});

test('what is small is done with the answer, and no worker is told', async () => {
  announced = [];
  const id = await beginAct(deps, {
    act: 'tag',
    tag: 'few',
    addresses: world.addresses.slice(0, 3),
    expect: 3,
    reason: 'a test',
    actor,
  });
  expect(await workFirst(deps, id)).toMatchObject({ done: 3, whole: 3, counts: { tagged: 3 } });
  expect(announced).toEqual([]);
  expect(await listOpenRuns(deps.database)).toEqual([]);
});

test('two workers at one run deal with everybody once', async () => {
  const id = await begin({ act: 'archive' });
  await Promise.all([workThrough(deps, id), workThrough(deps, id), workThrough(deps, id)]);
  expect((await run(id)).counts).toEqual({ archived: PEOPLE });
  expect(await journaled(id)).toBe(PEOPLE);
  expect((await undoRun(deps, id, 'a slip', actor)).restored).toBe(PEOPLE);
});

test('a run is stopped after the piece it is at: what it changed stays, and is undone', async () => {
  const id = await begin({ act: 'tag', tag: 'half' });
  await workPiece(deps, id);
  const stopped = await stopRun(deps, id, 'Ivo Penhallow');
  expect(stopped).toMatchObject({
    done: PIECE,
    whole: PEOPLE,
    counts: { tagged: PIECE },
    stopped: 'Ivo Penhallow stopped it',
  });
  expect(stopped.finishedAt).not.toBeNull();
  await expect(stopRun(deps, id, actor)).rejects.toMatchObject({ code: 'wrong-state' });
  expect(await targets()).toBe(0);
  expect(await tagged('half')).toBe(PIECE);
  expect(await undoRun(deps, id, 'back', actor)).toMatchObject({ restored: PIECE, leftAlone: 0 });
  expect(await tagged('half')).toBe(0);
});

test('a stop that comes with the last piece comes too late: the run has dealt with everybody', async () => {
  const id = await begin({ act: 'tag', tag: 'late' });
  await workPiece(deps, id);
  await workPiece(deps, id);
  const lock = deps.database.createQueryRunner();
  await lock.startTransaction();
  await lock.query('SELECT 1 FROM contact WHERE id = $1 FOR UPDATE', [world.contactIds.at(-1)]);
  const last = workPiece(deps, id);
  await until(
    async () =>
      (await count(
        `SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND wait_event_type = 'Lock'`,
      )) > 0,
  );
  const stopping = stopRun(deps, id, actor);
  await until(async () => (await run(id)).stopped !== null);
  await lock.commitTransaction();
  await lock.release();
  expect(await last).toBe('ended');
  await stopping;
  expect(await run(id)).toMatchObject({ done: PEOPLE, counts: { tagged: PEOPLE }, stopped: null });
  await undoRun(deps, id, 'a slip', actor);
});

test('an undo that was stopped is gone on with by another, which leaves alone what somebody changed again', async () => {
  const id = await begin({ act: 'archive' });
  await workThrough(deps, id);
  const first = await beginUndo(deps, id, 'a slip', actor);
  await workPiece(deps, first);
  expect((await run(id)).undoneByRunId).toBe(first);
  await stopRun(deps, first, actor);
  expect(await count('SELECT count(*) FROM contact WHERE archived_at IS NOT NULL')).toBe(PEOPLE - PIECE);
  expect((await run(id)).undoneByRunId).toBeNull();

  // One whom the first undo had restored is archived again by hand, one whom it had not come to is restored by hand.
  const [archived, restored] = [world.addresses[0]!, world.addresses.at(-1)!];
  for (const [act, address] of [
    ['archive', archived],
    ['restore', restored],
  ] as const)
    await workThrough(
      deps,
      await beginAct(deps, {
        act,
        addresses: [address],
        expect: 1,
        expectMailable: act === 'archive' ? 1 : 0,
        reason: 'by hand',
        actor,
      }),
    );
  const second = await undoRun(deps, id, 'the rest', actor);
  expect(second).toMatchObject({
    restored: PEOPLE - PIECE - 1,
    leftAlone: 1,
    movedOn: [{ address: restored, subject: 'archive' }],
  });
  expect((await run(id)).undoneByRunId).toBe(second.runId);
  expect(await count('SELECT count(*) FROM contact WHERE archived_at IS NOT NULL')).toBe(1);
});

test('a run whose piece fails again and again ends, says why, keeps what it did, and keeps no other waiting', async () => {
  const failed: number[] = [];
  const tryPiece = makeRunTries(deps, (id) => failed.push(id));
  const unlucky = world.contactIds[PIECE + 5]!;
  await deps.database.query(`CREATE FUNCTION out_of_order() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
    IF NEW.id = ${unlucky} THEN RAISE EXCEPTION 'out of order'; END IF; RETURN NEW; END $$`);
  await deps.database.query(
    `CREATE TRIGGER out_of_order BEFORE UPDATE ON contact FOR EACH ROW EXECUTE FUNCTION out_of_order()`,
  );
  const id = await begin({ act: 'tag', tag: 'broken' });
  expect(await tryPiece(id)).toBe('on');
  expect(await tryPiece(id)).toBe('waits');
  expect(await tryPiece(id)).toBe('waits');
  expect(failed).toEqual([id]);

  const other = await beginAct(deps, {
    act: 'tag',
    tag: 'other',
    addresses: [world.addresses[0]!],
    expect: 1,
    reason: 'a test',
    actor,
  });
  expect(await tryPiece(other)).toBe('ended');

  for (let more = 0; more < 4; more++) {
    deps.clock.now = new Date(deps.clock.now.getTime() + 60_000);
    await tryPiece(id);
  }
  expect(failed).toHaveLength(5);
  expect(await tryPiece(id)).toBe('ended');
  const ended = await run(id);
  expect(ended).toMatchObject({ done: PIECE, whole: PEOPLE, counts: { tagged: PIECE } });
  expect(ended.stopped).toMatch(/^it stopped 5 times after 10,000 of 25,000: out of order\. What was changed stays/);
  await deps.database.query('DROP FUNCTION out_of_order CASCADE');
  expect(await tagged('broken')).toBe(PIECE);
  expect((await undoRun(deps, id, 'back', actor)).restored).toBe(PIECE);
});

test('more erasures at once than there are connections all come to their end', async () => {
  const ids = await Promise.all(
    world.addresses.slice(0, 10).map((address, index) =>
      beginAct(deps, {
        act: 'erase',
        addresses: [address],
        expect: 1,
        expectMailable: index === 0 ? 0 : 1,
        reason: 'asked',
        actor,
      }),
    ),
  );
  const ended = await Promise.all(ids.map((id) => workFirst(deps, id)));
  expect(ended.filter(({ finishedAt, counts }) => finishedAt !== null && counts['erased'] === 1)).toHaveLength(10);
  // Each wrote the kept file anew, and none wrote another's people back.
  const kept = await count(
    `SELECT count(*) FROM import_part p, unnest($1::text[]) a WHERE position(convert_to(a || ',', 'UTF8') IN p.bytes) > 0`,
    world.addresses.slice(0, 12),
  );
  expect(kept).toBe(2);
});

test('erasing goes on where it was cut off, and nobody of them is left', async () => {
  const leaving = world.addresses.slice(10, PIECE + 500);
  const id = await beginAct(deps, {
    act: 'erase',
    addresses: leaving,
    expect: leaving.length,
    expectMailable: leaving.length,
    reason: 'asked',
    actor,
  });
  await workPiece(deps, id);
  expect(await run(id)).toMatchObject({ done: PIECE, counts: { erased: PIECE }, finishedAt: null });
  expect(await workThrough(deps, id)).toMatchObject({ done: leaving.length, counts: { erased: leaving.length } });
  expect(await count('SELECT count(*) FROM contact WHERE address = ANY($1)', leaving)).toBe(0);
  expect(await count(`SELECT count(*) FROM suppression_entry WHERE kind = 'hash' AND lifted_at IS NULL`)).toBe(
    PIECE + 500,
  );
}, 120_000);
