import { Readable } from 'node:stream';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { receiveImport } from '../../src/operations/imports/receive-import.ts';
import { makeImportTries } from '../../src/operations/imports/try-imports.ts';
import { MOST_CHUNK_ROWS } from '../../src/core/import/chunk-plan.ts';
import { findImport, type ImportRow } from '../../src/store/statements/imports.ts';
import { makeDeps } from '../support/database.ts';
import { makeSmallWorld, type SmallWorld } from '../support/world.ts';
import { undoRun } from '../support/runs.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
const stops: number[] = [];
let tryImport: (id: number) => Promise<unknown>;

beforeAll(async () => {
  deps = await makeDeps();
  world = await makeSmallWorld(deps, 1);
  tryImport = makeImportTries(deps, (id) => stops.push(id));
});
afterAll(() => deps.close());

/** The server refuses whoever has this address, for no reason that is the file's. */
async function breakFor(address: string): Promise<void> {
  await deps.database.query(`CREATE FUNCTION out_of_order() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
      IF NEW.address = '${address}' THEN RAISE EXCEPTION 'out of order'; END IF; RETURN NEW; END $$`);
  await deps.database.query(
    `CREATE TRIGGER out_of_order BEFORE INSERT ON contact FOR EACH ROW EXECUTE FUNCTION out_of_order()`,
  );
}

const mend = (): Promise<unknown> => deps.database.query('DROP FUNCTION out_of_order CASCADE');

async function receive(addresses: string[]): Promise<number> {
  const file = Readable.from([Buffer.from(['address', ...addresses].join('\n'))]);
  return (
    await receiveImport(
      deps,
      { listId: world.listId, fileName: 'people.csv', dryRun: false, actor: 'Rosa Lindgard' },
      file,
    )
  ).id;
}

const wait = (): void => void (deps.clock.now = new Date(deps.clock.now.getTime() + 60_000));
const look = async (id: number): Promise<ImportRow> => (await findImport(deps.database, id))!;
const many = (name: string): string[] =>
  Array.from({ length: MOST_CHUNK_ROWS }, (_, n) => `${name}${n}@quillmail.example`);

test('an import that stops for a reason of ours is tried five times, from where it stopped, keeps nobody waiting, and says why it gave up', async () => {
  await breakFor('broken@quillmail.example');
  const id = await receive([...many('first'), 'broken@quillmail.example']);
  await tryImport(id);
  expect(await look(id)).toMatchObject({ state: 'applying', rowsDone: MOST_CHUNK_ROWS });
  await tryImport(id);
  expect(stops).toEqual([id]);

  const other = await receive(['ada@quillmail.example']);
  await tryImport(other);
  expect(await look(other)).toMatchObject({ state: 'finished', counts: { created: 1 } });

  for (let more = 0; more < 10; more++) {
    wait();
    await tryImport(id);
  }
  expect(stops).toEqual([id, id, id, id, id]);
  const failed = await look(id);
  expect(failed).toMatchObject({ state: 'failed', counts: { created: MOST_CHUNK_ROWS } });
  expect(failed.problem!.detail).toMatch(
    /stopped 5 times after row 20,000, .* not the file's: .*out of order.*can be undone/,
  );
  const undone = await undoRun(deps, failed.runId!, 'it stopped', 'Rosa Lindgard');
  expect(undone.restored).toBe(MOST_CHUNK_ROWS);
  await mend();
});

test('what is mended meanwhile goes on, and each row is there once; tries that get further are not counted', async () => {
  stops.length = 0;
  await breakFor('broken0@quillmail.example');
  const id = await receive(many('broken'));
  for (let tries = 0; tries < 3; tries++) {
    await tryImport(id);
    wait();
  }
  const stopped = await look(id);
  expect(stopped.state).toBe('applying');
  expect(stopped.rowsDone).toBeLessThan(MOST_CHUNK_ROWS);
  await mend();
  await tryImport(id);
  expect(stops).toHaveLength(3);
  expect(await look(id)).toMatchObject({ state: 'finished', counts: { created: MOST_CHUNK_ROWS } });
});
