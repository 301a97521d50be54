import { afterEach, beforeEach, expect, test } from '@jest/globals';
import { recordEvents, type IncomingEvent } from '../../src/operations/events/record-events.ts';
import { dismissStorm, releaseStorm } from '../../src/operations/storms/storms.ts';
import { listStorms } from '../../src/store/statements/storms.ts';
import { makeDeps } from '../support/database.ts';
import { readMarks } from '../support/marks.ts';
import { makePastCampaigns, makeSmallWorld, outside, type SmallWorld } from '../support/world.ts';
import { undoRun } from '../support/runs.ts';

const CONTACTS = 150;
const HOUR = 3_600_000;

let deps: Awaited<ReturnType<typeof makeDeps>>;
let world: SmallWorld;
let campaigns: { id: number; at: number }[];
let now: number;

beforeEach(async () => {
  deps = await makeDeps();
  world = await makeSmallWorld(deps, CONTACTS);
  now = deps.now().getTime();
  // One that everybody received a week and more ago, and one that goes out in this hour.
  campaigns = await makePastCampaigns(deps, world, 2);
  const days = 24 * HOUR;
  const sent = (contact: number, campaign: number, at: number): IncomingEvent =>
    outside(world, 'sent', contact, campaigns[campaign]!, at);
  await recordEvents(
    deps,
    world.contactIds.flatMap((_, contact) => [sent(contact, 0, now - 3 * days), sent(contact, 1, now - HOUR / 2)]),
  );
});
afterEach(() => deps.close());

const hard = (contact: number, after = 0): IncomingEvent =>
  outside(world, 'bounced', contact, campaigns[1]!, now - 60_000 + after, {
    class: 'hard',
    reply: '550 5.1.1 user unknown',
  });
const undeliverable = async (): Promise<number> =>
  (await deps.database.query<unknown[]>(`SELECT 1 FROM contact WHERE deliverability = 'undeliverable'`)).length;
const domainOf = (contact: number): string => world.addresses[contact]!.split('@')[1]!;
const at = (domain: string): number[] =>
  world.contactIds.flatMap((_, contact) => (domainOf(contact) === domain ? [contact] : []));

test('hard bounces of a domain that suddenly fails are held: nobody is marked, those marked before are put back', async () => {
  const domain = domainOf(0);
  const failing = at(domain).slice(0, 40);
  for (const contact of failing.slice(0, 29)) await recordEvents(deps, [hard(contact, contact)]);
  expect({ marked: await undeliverable(), storms: await listStorms(deps.database, null, 10) }).toEqual({
    marked: 29,
    storms: [],
  });
  // More than a fifth of the 150: the thirty-first, though the count before it was no storm.
  await recordEvents(deps, [hard(failing[29]!, 29)]);
  expect(await undeliverable()).toBe(30);
  for (const contact of failing.slice(30)) await recordEvents(deps, [hard(contact, contact)]);
  expect(await undeliverable()).toBe(0);
  const [storm, ...more] = await listStorms(deps.database, 'held', 10);
  expect({ storm, more }).toMatchObject({
    storm: { domain, contacts: 40, bounces: 40, said: '550 5.1.1 user unknown' },
    more: [],
  });

  const before = await readMarks(deps);
  await expect(releaseStorm(deps, storm!.id, { expect: 30, reason: 'dead', actor: 'Rosa Lindgard' })).rejects.toThrow(
    'now it is 40',
  );
  const run = await releaseStorm(deps, storm!.id, { expect: 40, reason: 'all closed', actor: 'Rosa Lindgard' });
  expect({ marked: await undeliverable(), counts: run.counts }).toEqual({ marked: 40, counts: { undeliverable: 40 } });
  await undoRun(deps, run.id, 'a mistake', 'Rosa Lindgard');
  expect(await readMarks(deps)).toEqual(before);
  expect(await listStorms(deps.database, 'held', 10)).toHaveLength(1);
  // Held again: what a person took back stands in the way of nothing.
  await releaseStorm(deps, storm!.id, { expect: 40, reason: 'they are dead', actor: 'Rosa Lindgard' });
  expect(await undeliverable()).toBe(40);
});

test('an outage that was dismissed marks nobody, then or at the next weighing; what comes in the same hour belongs to it', async () => {
  const failing = at(domainOf(0));
  await recordEvents(
    deps,
    failing.slice(0, 40).map((contact) => hard(contact, contact)),
  );
  const [storm] = await listStorms(deps.database, 'held', 10);
  await dismissStorm(deps, storm!.id, { reason: 'their directory was down', actor: 'Rosa Lindgard' });
  await expect(releaseStorm(deps, storm!.id, { expect: 40, reason: 'no', actor: 'Rosa Lindgard' })).rejects.toThrow(
    'decided already',
  );
  await recordEvents(deps, [hard(failing[40] ?? failing[0]!, 500), outside(world, 'visited', failing[1]!, null, now)]);
  expect(await undeliverable()).toBe(0);
});

test('few, or few of many, or at a domain that never took mail, are no storm', async () => {
  const failing = at(domainOf(0));
  await recordEvents(
    deps,
    failing.slice(0, 29).map((contact) => hard(contact)),
  );
  expect(await undeliverable()).toBe(29);
  await recordEvents(deps, [hard(failing[29]!)]);
  expect({ marked: await undeliverable(), storms: await listStorms(deps.database, null, 10) }).toEqual({
    marked: 30,
    storms: [],
  });
  await deps.database.query(`UPDATE delivery SET bounced = 'hard' WHERE campaign_id = $1`, [campaigns[0]!.id]);
  await recordEvents(
    deps,
    failing.slice(30, 60).map((contact) => hard(contact)),
  );
  expect({ marked: await undeliverable(), storms: await listStorms(deps.database, null, 10) }).toEqual({
    marked: 60,
    storms: [],
  });
});
