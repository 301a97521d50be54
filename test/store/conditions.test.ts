import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { evaluate } from '../../src/core/conditions/evaluate.ts';
import { formatCondition } from '../../src/core/conditions/format-condition.ts';
import { recordEvents, type IncomingEvent } from '../../src/operations/events/record-events.ts';
import { judgeAutomated } from '../../src/operations/rules/automated-addresses.ts';
import { getScoreRule, previewScoreRule, saveScoreRule } from '../../src/operations/scores/score-rule.ts';
import { changeSegment, createSegment, removeSegment } from '../../src/operations/segments/keep-segments.ts';
import { checkCondition } from '../../src/operations/segments/condition-context.ts';
import { freezeSegment } from '../../src/operations/segments/snapshots.ts';
import { explainCondition, previewCondition } from '../../src/operations/segments/work-out.ts';
import { addEntries } from '../../src/operations/suppression/keep-entries.ts';
import { inTransaction, overWholeSet } from '../../src/store/database.ts';
import {
  countMatching,
  findContactFacts,
  findLeftOutAmong,
  keepMatching,
} from '../../src/store/statements/conditions.ts';
import { listSegmentVersions } from '../../src/store/statements/segments.ts';
import { anyCondition } from '../support/conditions.ts';
import { makeDeps } from '../support/database.ts';
import { DAY, importText, makePastCampaigns, makeSmallWorld, outside } from '../support/world.ts';
import { ownSuppressionList } from '../support/parts.ts';
import { applySunsetRule } from '../support/runs.ts';

const CONTACTS = 40;
const deps = await makeDeps();
const world = await makeSmallWorld(deps, CONTACTS);
let all: number[];

beforeAll(async () => {
  const campaigns = await makePastCampaigns(deps, world, 5);
  await importText(
    deps,
    world.listId,
    [
      'address,tier,visits,born,member,tags',
      ...world.addresses
        .slice(0, 30)
        .map((address, index) =>
          [
            address,
            ['Friend', 'patron', ''][index % 3],
            index % 7,
            `198${index % 9}-05-0${1 + (index % 8)}`,
            index % 2 ? 'yes' : 'no',
            index % 4 ? 'board' : 'moon',
          ].join(','),
        ),
    ].join('\n'),
    false,
    { visits: 'visits:number', born: 'born:date', member: 'member:yes-no' },
  );
  await recordEvents(deps, history(campaigns));
  const list = await ownSuppressionList(deps, 'Do not write', 'marketing');
  await addEntries(deps, {
    listId: list.id,
    values: [world.addresses[3]!, `.${world.addresses[4]!.split('@')[1]!}`],
    reason: 'asked',
    expiresAt: null,
    actor: 'Rosa Lindgard',
  });
  await judgeAutomated(deps, {
    addresses: [world.addresses[5]!],
    as: 'machine',
    reason: 'a ticket system',
    actor: 'Rosa Lindgard',
  });
  await deps.database.query('UPDATE contact SET archived_at = now() WHERE id = $1', [world.contactIds[6]]);
  await deps.database.query(`UPDATE contact SET verdict = 'risky' WHERE id = $1`, [world.contactIds[7]]);
  await deps.database.query(`UPDATE contact SET erased_at = now() WHERE id = $1`, [world.contactIds[39]]);
  await applySunsetRule(deps, {
    brandId: world.brandId,
    expected: null,
    reason: 'once',
    actor: 'the sunset rule',
    actorKind: 'rule',
  });
  await createSegment(deps, {
    brandId: world.brandId,
    name: 'Readers',
    condition: 'clicked in the last 20 days or opened at least 2 times',
    actor: 'Rosa Lindgard',
  });
  const readers = await deps.database.query<{ id: number }[]>(`SELECT id FROM segment WHERE name = 'Readers'`);
  await freezeSegment(deps, { segmentId: readers[0]!.id, name: 'Some of them', actor: 'Rosa Lindgard' });
  all = world.contactIds.slice(0, 39);
});
afterAll(() => deps.close());

/** Every kind of event over some weeks, the same each time. */
function history(campaigns: { id: number; at: number }[]): IncomingEvent[] {
  const [random] = fc.sample(fc.infiniteStream(fc.nat(10_000)), { numRuns: 1, seed: 11 });
  const pick = (most: number): number => random!.next().value % most;
  const kinds = [
    'opened',
    'opened',
    'clicked',
    'clicked',
    'visited',
    'purchased',
    'replied',
    'bounced',
    'unsubscribed',
    'complained',
    'confirmed',
    'delivered',
    'delayed',
    'subscribed',
  ] as const;
  return campaigns
    .flatMap((campaign) =>
      world.contactIds.flatMap((_, contact) => {
        const sent = outside(world, 'sent', contact, campaign, campaign.at);
        const more = Array.from({ length: pick(4) }, (): IncomingEvent => {
          const kind = kinds[pick(kinds.length)]!;
          const detail =
            kind === 'bounced'
              ? { class: (['hard', 'soft', 'block'] as const)[pick(3)]! }
              : kind === 'clicked'
                ? {
                    link: pick(3),
                    url: ['https://larkfield.example/map', 'https://larkfield.example/sky'][pick(2)]!,
                    userAgent: pick(4) ? 'Mail' : 'bot',
                  }
                : kind === 'unsubscribed' || kind === 'subscribed' || kind === 'confirmed'
                  ? { lists: [world.listId] }
                  : kind === 'purchased'
                    ? { what: ['a Planisphere', 'x'][pick(2)]! }
                    : {};
          return outside(
            world,
            kind,
            contact,
            pick(5) ? campaign : null,
            campaign.at + 3000 + pick(10_000) * 40_000,
            detail,
          );
        });
        return pick(6) ? [sent, ...more] : more;
      }),
    )
    .filter(({ at }) => at < deps.now().getTime());
}

const ask = (condition: string) => previewCondition(deps, { brandId: world.brandId, condition });

describe('invariant 11, one truth', () => {
  test('the evaluation of any condition on each contact and its SQL agree on every contact', async () => {
    const names = {
      lists: ['Night Digest'],
      campaigns: ['Digest 1', 'Digest 4'],
      suppressionLists: ['Do not write', 'Hard bounces'],
      segments: ['Readers'],
      snapshots: ['Some of them'],
      attributes: { text: 'tier', number: 'visits', date: 'born', yesNo: 'member' },
      tags: ['board', 'moon'],
      texts: ['friend', 'PATRON', 'reader1', 'Reader 2', world.addresses[2]!, 'lanternpost.example', ''],
      days: ['2026-10-20', '2026-11-02', '2026-11-12', '1985-05-03'],
    };
    const checked = await checkCondition(deps, world.brandId, 'everyone');
    const context = {
      ...checked.context,
      names: { ...checked.context.names, lookAlikeDomains: ['lanternpost.example'] },
    };
    const list = (
      await deps.database.query<{ name: string }[]>('SELECT name FROM list WHERE id = $1', [world.listId])
    )[0]!.name;
    const facts = await Promise.all(
      all.map(
        async (id) =>
          (await findContactFacts(deps.database, id, context, { mailable: true, mailableByAny: true, silence: true }))!,
      ),
    );
    const seen = { some: 0, everybody: 0, nobody: 0 };
    await fc.assert(
      fc.asyncProperty(anyCondition({ ...names, lists: [list] }), async (generated) => {
        const { condition } = await checkCondition(deps, world.brandId, formatCondition(generated));
        const [rows, counted] = await overWholeSet(deps.database, async (sql) => [
          await keepMatching(sql, 'matching', [condition], context).then(() =>
            sql.query<{ id: number }[]>('SELECT id::float8 AS id FROM matching ORDER BY id'),
          ),
          await countMatching(sql, condition, context),
        ]);
        // The gate asks the same of a few, by index.
        const few = await inTransaction(deps.database, (sql) =>
          findLeftOutAmong(sql, [{ context, conditions: [{ by: 7, condition }] }], all.slice(5, 25)),
        );
        const byOne = all.filter((_, index) => evaluate(condition, facts[index]!, context).holds);
        expect({ text: formatCondition(condition), matching: rows.map(({ id }) => id) }).toEqual({
          text: formatCondition(condition),
          matching: byOne,
        });
        expect(counted).toBe(byOne.length);
        const leftOut = byOne.filter((id) => all.slice(5, 25).includes(id));
        expect(few).toEqual(new Map(leftOut.map((id) => [id, 7])));
        seen[byOne.length === 0 ? 'nobody' : byOne.length === all.length ? 'everybody' : 'some']++;
      }),
      { numRuns: 400 },
    );
    // Conditions that nobody or everybody meets would prove little.
    expect(seen.some).toBeGreaterThan(150);
  });
});

test('every part has its count, alone and with those before it; what is odd is said; who may be mailed is counted', async () => {
  const preview = await ask('not suppressed or not archived');
  expect(preview).toMatchObject({ contacts: 39, matching: 38, text: 'not suppressed or not archived' });
  expect(preview.lines[0]).toEqual({ depth: 0, joined: null, text: 'any of these', alone: 38, after: 38 });
  expect(preview.warnings.map(({ code }) => code)).toContain('always-true');
  const read = await ask('read in the last 60 days and not tagged "moon" and (visited or purchased)');
  const [head, first, second, third] = read.lines;
  expect(head!.alone).toBe(read.matching);
  expect(second!.after).toBeLessThanOrEqual(Math.min(first!.alone, second!.alone));
  expect(third).toMatchObject({ depth: 1, joined: 'and', text: 'any of these', after: read.matching });
  expect(read.mailable).toBeLessThanOrEqual(read.matching);
  expect(read.sample).toHaveLength(Math.min(20, read.matching));
});

test('that who never did it is not among “last … long ago” is said, with their count, unless it was thought of', async () => {
  const notes = async (condition: string): Promise<string[]> =>
    (await ask(condition)).warnings.filter(({ code }) => code === 'never-acted').map(({ message }) => message);
  const [said] = await notes('last clicked more than 6 months ago');
  const never = (await ask('not clicked')).matching;
  expect(said).toBe(
    `Who never did it is not among “last clicked more than 6 months ago”: ${never.toLocaleString('en-GB')} contacts. With “or never clicked” they are.`,
  );
  expect(await notes('everyone and last clicked before 2026-01-01')).toHaveLength(1);
  for (const fine of [
    'last clicked more than 6 months ago or not clicked',
    'last clicked in the last 6 months',
    'clicked more than 6 months ago',
    'not last clicked more than 6 months ago',
  ])
    expect([fine, await notes(fine)]).toEqual([fine, []]);
});

test('one address is explained in words, each part with its fact', async () => {
  const contact = world.contactIds[20]!;
  await recordEvents(deps, [
    outside(world, 'purchased', 20, null, deps.now().getTime() - 94 * DAY - 1000, { what: 'a globe' }),
  ]);
  const explained = await explainCondition(deps, {
    brandId: world.brandId,
    condition: 'purchased what containing "globe" in the last 30 days and everyone',
    address: world.addresses[20]!,
  });
  expect(explained).toMatchObject({
    contactId: contact,
    holds: false,
    because: 'last purchased 94 days ago',
    parts: [{ holds: false }, { holds: true }],
  });
  await expect(
    explainCondition(deps, { brandId: world.brandId, condition: 'everyone', address: 'nobody@x.example' }),
  ).rejects.toMatchObject({ code: 'not-found' });
});

test('segments have versions, are not deleted while they are used, and take a new name along', async () => {
  const by = { reason: 'a test', actor: 'Rosa Lindgard' };
  const keen = await createSegment(deps, {
    brandId: world.brandId,
    name: 'Keen',
    condition: 'SEGMENT "Readers" AND not archived',
    actor: 'Rosa Lindgard',
  });
  expect(keen.condition).toBe('segment "Readers" and not archived');
  const [readers] = await deps.database.query<{ id: number }[]>(`SELECT id FROM segment WHERE name = 'Readers'`);
  await expect(removeSegment(deps, readers!.id)).rejects.toThrow('used by “Keen”');
  await expect(
    createSegment(deps, { brandId: world.brandId, name: 'Keen', condition: 'everyone', actor: 'x' }),
  ).rejects.toMatchObject({ code: 'name-taken' });
  await expect(changeSegment(deps, readers!.id, { condition: 'segment "Keen"', ...by })).rejects.toThrow(
    '“Readers” → “Keen” → “Readers”',
  );
  await changeSegment(deps, readers!.id, { name: 'All readers', ...by });
  expect((await ask('segment "Keen"')).matching).toBeGreaterThan(0);
  expect(
    (await listSegmentVersions(deps.database, keen.id)).map(({ condition, reason }) => [condition, reason]),
  ).toEqual([
    ['segment "All readers" and not archived', 'the segment “Readers” is called “All readers” now'],
    ['segment "Readers" and not archived', 'made'],
  ]);
  await removeSegment(deps, keen.id);
  await changeSegment(deps, readers!.id, { name: 'Readers', ...by });
  await expect(ask('segment "Keen"')).rejects.toMatchObject({
    code: 'bad-condition',
    extra: { problems: [{ code: 'unknown-name', from: 0, to: 14 }] },
  });
});

describe('score', () => {
  test('is made of points that last, is explained, and follows the rule of its brand at once', async () => {
    const condition = 'score is at least 26';
    const now = deps.now().getTime();
    await recordEvents(deps, [
      outside(world, 'purchased', 21, null, now - 364 * DAY, { what: 'a chart' }),
      outside(world, 'purchased', 22, null, now - 366 * DAY, { what: 'a chart' }),
    ]);
    const explain = (contact: number) =>
      explainCondition(deps, { brandId: world.brandId, condition, address: world.addresses[contact]! });
    expect((await explain(21)).because).toMatch(/^score is \d+: .*\d*0 for purchased (once|\d times)/);
    const saved = await saveScoreRule(deps, {
      brandId: world.brandId,
      rule: {
        acts: [
          { act: 'purchased', points: 7, days: 365 },
          { act: 'bounced', points: -3, days: 30 },
        ],
        joining: { points: 0, days: 1 },
      },
      version: 0,
      reason: 'a purchase is what counts',
      actor: 'Rosa Lindgard',
    });
    expect(saved).toMatchObject({ version: 1, changedBy: 'Rosa Lindgard', reason: 'a purchase is what counts' });
    const purchases = async (contact: number): Promise<number> =>
      (
        await deps.database.query<{ n: number }[]>(
          `SELECT count(*)::int AS n FROM event WHERE contact_id = $1 AND kind = 'purchased' AND occurred_at > $2`,
          [world.contactIds[contact], new Date(now - 365 * DAY)],
        )
      )[0]!.n;
    expect(await purchases(21)).toBeGreaterThan(0);
    expect((await explain(21)).because).toContain(
      `${7 * (await purchases(21))} for purchased ${(await purchases(21)) === 1 ? 'once' : `${await purchases(21)} times`}`,
    );
    const { bins } = await previewScoreRule(deps, world.brandId, { acts: [], joining: { points: 10, days: 3650 } });
    expect(bins.find(({ from }) => from === 10)).toMatchObject({ wouldBe: 39 });
    expect(bins.reduce((sum, { now: contacts }) => sum + contacts, 0)).toBe(39);
    expect(bins.filter(({ from }) => from !== null && from >= 5).reduce((sum, bin) => sum + bin.now, 0)).toBe(
      (await ask('score is at least 5')).matching,
    );
    expect(bins[0]).toEqual({ from: null, now: (await ask('score is less than 0')).matching, wouldBe: 0 });
  });

  test('is not changed over the change of somebody else, nor into one that gives nothing', async () => {
    const rule = { acts: [], joining: { points: 1, days: 10 } };
    const change = { brandId: world.brandId, reason: 'a test', actor: 'Ivo Marant' };
    await expect(saveScoreRule(deps, { ...change, rule, version: 0 })).rejects.toMatchObject({
      code: 'changed-meanwhile',
      detail: expect.stringContaining('by Rosa Lindgard'),
    });
    await expect(
      saveScoreRule(deps, { ...change, rule: { acts: [], joining: { points: 0, days: 10 } }, version: 1 }),
    ).rejects.toMatchObject({ code: 'invalid-input', field: 'rule.acts' });
    expect(await getScoreRule(deps.database, world.brandId)).toMatchObject({ version: 1, changedBy: 'Rosa Lindgard' });
    await expect(ask('score is set')).rejects.toThrow('compare it with a number');
    await expect(ask('score contains "2"')).rejects.toThrow('score is a number');
  });
});
