import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { exportImportResults } from '../../src/operations/imports/export-import-results.ts';
import { listHeldRows } from '../../src/operations/imports/held-rows.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { previewRejudging } from '../../src/operations/events/rejudge-acts.ts';
import { findRetention, saveRetention, sweepRetention } from '../../src/operations/organisation/retention.ts';
import { signUp } from '../../src/operations/consent/sign-up.ts';
import { receiveReturns } from '../../src/operations/returns/receive-return.ts';
import { compareActivity } from '../../src/store/statements/events.ts';
import { findReturn } from '../../src/store/statements/returns.ts';
import { DEFAULT_RETENTION } from '../../src/shared/retention.ts';
import { makeDeps } from '../support/database.ts';
import { findTexts } from '../support/search.ts';
import { importText, makePastCampaigns, makeSmallWorld, outside, DAY, type SmallWorld } from '../support/world.ts';

let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
let campaign: { id: number; at: number } | undefined;
const NETWORK = '203.0.113.77';
const AGENT = 'Tollgate-LinkScanner/4 (bot)';

beforeAll(async () => {
  deps = await makeDeps();
  world = await makeSmallWorld(deps, 4);
  [campaign] = await makePastCampaigns(deps, world, 1);
});
afterAll(() => deps.close());

const ago = (days: number): number => deps.now().getTime() - days * DAY;
const sweep = async () => (await sweepRetention(deps))!;
const details = (): Promise<{ detail: Record<string, unknown>; actor: string; actor_reason: string }[]> =>
  deps.database.query(
    `SELECT detail, actor, actor_reason FROM event WHERE kind IN ('opened', 'clicked') ORDER BY contact_id, kind::text`,
  );

test('the days are kept as they are given; others stay as they were', async () => {
  expect(await findRetention(deps)).toEqual({ ...DEFAULT_RETENTION, swept: null });
  expect(await saveRetention(deps, { unmatchedDays: 7 }, 'Rosa Lindgard')).toMatchObject({
    ...DEFAULT_RETENTION,
    unmatchedDays: 7,
  });
  await saveRetention(deps, { unmatchedDays: 30 }, 'Rosa Lindgard');
});

describe('from where acts came', () => {
  test('goes when it is too old, in whichever month; who acted stays as it was judged, also when it is judged anew', async () => {
    const act = (kind: 'opened' | 'clicked', contact: number, days: number, detail = {}) =>
      outside(world, kind, contact, campaign!, ago(days), {
        userAgent: AGENT,
        network: NETWORK,
        method: 'GET',
        link: 1,
        ...detail,
      });
    await recordEvents(deps, [
      act('clicked', 0, 400),
      act('clicked', 1, 91),
      act('opened', 1, 91),
      act('clicked', 2, 89),
      act('clicked', 3, 91, { userAgent: 'Mail', link: 2 }),
    ]);
    const before = await details();
    expect(before.map(({ actor }) => actor)).toEqual(['machine', 'machine', 'machine', 'machine', 'human']);
    expect((await sweep()).acts).toBe(4);
    const after = await details();
    expect(after.map(({ actor, actor_reason }) => [actor, actor_reason])).toEqual(
      before.map(({ actor, actor_reason }) => [actor, actor_reason]),
    );
    expect(after.filter(({ detail }) => 'network' in detail || 'userAgent' in detail)).toHaveLength(1);
    expect(after.map(({ detail }) => [detail['link'], detail['swept']])).toEqual([
      [1, true],
      [1, true],
      [1, true],
      [1, undefined],
      [2, true],
    ]);
    expect(await previewRejudging(deps)).toMatchObject({ acts: 0 });
    expect((await compareActivity(deps.database)).differing).toEqual([]);
    expect((await sweep()).acts).toBe(0);
  });

  test('what comes in late, with an instant of long ago, goes on the first of the month', async () => {
    await recordEvents(deps, [
      outside(world, 'clicked', 0, campaign!, ago(300), { userAgent: AGENT, network: NETWORK, method: 'GET', link: 3 }),
    ]);
    expect((await sweep()).acts).toBe(0);
    const before = deps.clock.now;
    deps.clock.now = new Date('2026-12-01T04:45:00Z');
    expect((await sweep()).acts).toBeGreaterThan(0);
    deps.clock.now = before;
  });

  test('of sign-ups too; that somebody signed up, when and to what, stays', async () => {
    await signUp(deps, {
      listId: world.listId,
      address: 'new@hearthmail.example',
      name: 'New',
      way: 'form',
      network: NETWORK,
      userAgent: 'Browser/9',
      agreed: 'to everything',
    });
    expect((await sweep()).signUps).toBe(0);
    await deps.database.query('UPDATE sign_up SET at = $1', [new Date(ago(91))]);
    expect((await sweep()).signUps).toBe(1);
    expect(await findTexts(deps, ['Browser/9'])).toEqual([]);
    expect(await deps.database.query('SELECT agreed, network FROM sign_up')).toEqual([
      { agreed: 'to everything', network: null },
    ]);
  });
});

describe('messages that came back', () => {
  const receive = async (text: string) => (await receiveReturns(deps, Buffer.from(text), ['']))[0]!;
  const old = (table: 'return_message' | 'return_raw', days: number) =>
    deps.database.query(`UPDATE ${table} SET ${table === 'return_raw' ? 'kept_at' : 'received_at'} = $1`, [
      new Date(ago(days)),
    ]);

  test('those that match nothing go as a whole after their days, and their bytes with them; held and counted ones stay', async () => {
    const stray = await receive('Subject: stray\r\n\r\nhello');
    const held = await receive('Subject: held\r\n\r\nhello');
    await deps.database.query(`UPDATE return_message SET state = 'held' WHERE id = $1`, [held.id]);
    await old('return_message', 31);
    await old('return_raw', 31);
    expect(await sweep()).toMatchObject({ unmatched: 1, rawReturns: 1 });
    expect(await findReturn(deps.database, stray.id)).toBeUndefined();
    expect((await findReturn(deps.database, held.id))!.raw).not.toBeNull();
  });

  test('the bytes of the others go after theirs; how they were read stays', async () => {
    const [held]: { id: number }[] = await deps.database.query(
      `SELECT id::float8 AS id FROM return_message WHERE state = 'held'`,
    );
    await old('return_raw', 181);
    expect(await sweep()).toMatchObject({ unmatched: 0, rawReturns: 1 });
    expect(await findReturn(deps.database, held!.id)).toMatchObject({
      raw: null,
      state: 'held',
      reading: { kind: 'unknown' },
    });
  });

  test('bytes that nothing names go, but not those of a message that is just being taken in', async () => {
    await deps.database.query(
      `INSERT INTO return_raw (digest, raw, kept_at) VALUES (gen_random_uuid(), 'just now', $1), (gen_random_uuid(), 'left behind', $2)`,
      [new Date(ago(0) - 60_000), new Date(ago(1))],
    );
    expect((await sweep()).rawReturns).toBe(1);
    expect(await deps.database.query('SELECT count(*)::int AS n FROM return_raw')).toEqual([{ n: 1 }]);
  });
});

describe('imported files', () => {
  const finished = (id: number, days: number) =>
    deps.database.query('UPDATE import SET finished_at = $2 WHERE id = $1', [id, new Date(ago(days))]);
  const results = async (id: number): Promise<string> => {
    let text = '';
    for await (const piece of exportImportResults(deps, id)) text += piece;
    return text;
  };

  test('go after their days, and it is said so where they are asked for; the counts stay', async () => {
    const young = await importText(deps, world.listId, 'address\nyoung@hearthmail.example');
    const row = await importText(deps, world.listId, 'address\nkept.file@hearthmail.example');
    await finished(row.id, 91);
    expect((await sweep()).files).toBe(1);
    await expect(results(row.id)).rejects.toMatchObject({
      code: 'not-found',
      detail: expect.stringContaining(`The file of import ${row.id} is not kept any more`) as unknown,
    });
    expect(await results(young.id)).toContain('young@hearthmail.example');
    expect(row.counts).toEqual({ created: 1 });
  });

  test('but not while rows in them wait for a decision', async () => {
    const row = await importText(deps, world.listId, 'address\nada@quillmial.example\nbo@quillmail.example');
    await deps.database.query(`UPDATE import SET counts = '{"held": 1}' WHERE id = $1`, [row.id]);
    await finished(row.id, 200);
    expect((await sweep()).files).toBe(0);
    expect(await listHeldRows(deps, row.id)).toBeDefined();
  });
});

test('of two sweeps at once one sweeps', async () => {
  const both = await Promise.all([sweepRetention(deps), sweepRetention(deps)]);
  expect(both.filter((one) => one !== undefined).length).toBeGreaterThanOrEqual(1);
  expect((await findRetention(deps)).swept!.at).toBe(deps.now().toISOString());
});
