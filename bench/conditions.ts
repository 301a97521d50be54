import dayjs from 'dayjs';
import timezone from 'dayjs/plugin/timezone.js';
import utc from 'dayjs/plugin/utc.js';
import { parseCondition } from '../src/core/conditions/parse-condition.ts';
import { reportLogicProblems } from '../src/core/conditions/check-logic.ts';
import { reportNameProblems } from '../src/core/conditions/check-names.ts';
import { READY_MADE } from '../src/core/conditions/ready-made.ts';
import { previewSunsetRule } from '../src/operations/rules/sunset-rule.ts';
import { checkTallies } from '../src/operations/tallies/check-tallies.ts';
import type { Deps } from '../src/operations/deps.ts';
import { checkCondition } from '../src/operations/segments/condition-context.ts';
import { explainCondition } from '../src/operations/segments/work-out.ts';
import { overWholeSet } from '../src/store/database.ts';
import { countMatching } from '../src/store/statements/conditions.ts';
import { overConditionsWorld, readerOf } from './conditions-world.ts';
import { seconds, type Measured } from './support.ts';

dayjs.extend(utc);
dayjs.extend(timezone);

const BRAND = 1;
const ROUNDS = 3;

/** One instant for ours and for what is written by hand. */
const NOW = new Date();
const ago = (days: number): string => `'${new Date(NOW.getTime() - days * 86_400_000).toISOString()}'::timestamptz`;

/** The beginning of today in the brand's zone, so many days or months before: as a constant, as one would write it. */
const before = (count: number, unit: 'day' | 'month'): string =>
  `'${dayjs(NOW).tz('Europe/London').startOf('day').subtract(count, unit).toISOString()}'::timestamptz`;
const day = (days: number): string => before(days, 'day');
const people = 'FROM contact c WHERE c.erased_at IS NULL';
const joined = (test: string): string =>
  `SELECT count(*) FROM contact c LEFT JOIN activity a ON a.contact_id = c.id AND a.brand_id = 1 WHERE c.erased_at IS NULL AND ${test}`;
const read = (days: number): string => `(a.last_opened_at >= ${day(days)} OR a.last_clicked_at >= ${day(days)})`;
const inSet = (set: string): string => `SELECT count(*) ${people} AND c.id IN (${set})`;
const SILENT = `SELECT count(*) FROM (
  SELECT c.id, greatest(c.joined_at, a.last_opened_at, a.last_clicked_at, a.last_replied_at, a.last_visited_at, a.last_purchased_at, a.last_confirmed_at) AS since
  FROM contact c LEFT JOIN activity a ON a.contact_id = c.id AND a.brand_id = 1 WHERE c.erased_at IS NULL AND EXISTS (SELECT FROM subscription s WHERE s.contact_id = c.id)) s
  WHERE since <= ${ago(90)} AND (SELECT count(*) FROM delivery d WHERE d.contact_id = s.id AND d.state = 'accepted' AND d.bounced IS NULL AND d.accepted_at > s.since) >= 2`;

const NEWCOMER = `SELECT count(*) FROM contact c LEFT JOIN (SELECT contact_id, count(*) AS reached FROM delivery WHERE state = 'accepted' AND bounced IS NULL GROUP BY 1) d ON d.contact_id = c.id
  WHERE c.erased_at IS NULL AND EXISTS (SELECT FROM subscription s WHERE s.contact_id = c.id) AND (c.joined_at > ${ago(60)} OR coalesce(d.reached, 0) < 6)`;
const UNMAILABLE = `SELECT count(*) ${people} AND c.archived_at IS NULL AND (c.deliverability = 'undeliverable' OR NOT EXISTS (SELECT FROM subscription s WHERE s.contact_id = c.id AND s.state = 'subscribed')
  OR EXISTS (SELECT FROM suppression_entry e WHERE e.kind = 'address' AND e.value = c.address AND e.lifted_at IS NULL))`;
const SCORE = `SELECT count(*) FROM contact c LEFT JOIN (
    SELECT contact_id, sum(CASE kind WHEN 'opened' THEN 1 WHEN 'clicked' THEN 5 WHEN 'visited' THEN 3 WHEN 'replied' THEN 10 WHEN 'purchased' THEN 20 ELSE 5 END) AS points FROM event
    WHERE brand_id = 1 AND occurred_at > ${ago(365)} AND ((kind = 'opened' AND actor = 'human' AND occurred_at > ${ago(30)}) OR (kind = 'clicked' AND actor = 'human' AND occurred_at > ${ago(90)})
      OR (kind = 'visited' AND actor = 'human' AND occurred_at > ${ago(30)}) OR (kind = 'replied' AND occurred_at > ${ago(180)}) OR kind = 'purchased' OR (kind = 'confirmed' AND occurred_at > ${ago(90)})) GROUP BY 1) e ON e.contact_id = c.id
  WHERE c.erased_at IS NULL AND coalesce(e.points, 0) + CASE WHEN c.joined_at > ${ago(60)} THEN 10 ELSE 0 END >= 20`;

/** Conditions with the SQL that somebody who knows the tables would write for the same question. */
const PAIRS: readonly (readonly [condition: string, sql: string])[] = [
  ['read in the last 30 days or joined in the last 30 days', joined(`(${read(30)} OR c.joined_at >= ${day(30)})`)],
  ['read in the last 60 days or joined in the last 60 days', joined(`(${read(60)} OR c.joined_at >= ${day(60)})`)],
  ['read in the last 90 days or joined in the last 90 days', joined(`(${read(90)} OR c.joined_at >= ${day(90)})`)],
  ['never sent in the last 7 days', joined(`NOT coalesce(a.last_sent_at >= ${day(7)}, false)`)],
  ['bounced in the last 30 days', joined(`a.last_bounced_at >= ${day(30)}`)],
  [
    'bounced soft at least 3 times in the last 45 days',
    inSet(
      `SELECT contact_id FROM event WHERE kind = 'bounced' AND brand_id = 1 AND detail->>'class' = 'soft' AND occurred_at >= ${day(45)} GROUP BY 1 HAVING count(*) >= 3`,
    ),
  ],
  ['silent for 90 days with at least 2 messages', SILENT],
  [
    'sent at least 20 times and never read',
    joined('a.sent >= 20 AND a.last_opened_at IS NULL AND a.last_clicked_at IS NULL'),
  ],
  [
    'purchased in the last 12 months and never read in the last 90 days',
    joined(`a.last_purchased_at >= ${before(12, 'month')} AND NOT coalesce(${read(90)}, false)`),
  ],
  ['waiting on any list', inSet(`SELECT contact_id FROM subscription WHERE state = 'pending'`)],
  ['automated', inSet(`SELECT contact_id FROM automated_address WHERE state = 'marked'`)],
  ['newcomer', NEWCOMER],
  ['may not be mailed and not archived', UNMAILABLE],
  ['score is at least 20', SCORE],
  // Ten compound ones.
  [
    'on list "Night Digest" and read in the last 30 days',
    joined(
      `${read(30)} AND EXISTS (SELECT FROM subscription s WHERE s.contact_id = c.id AND s.list_id = 1 AND s.state = 'subscribed')`,
    ),
  ],
  [
    'on list "Night Digest" and (clicked in the last 90 days or purchased in the last 365 days) and not on list "Open Evenings"',
    joined(
      `(a.last_clicked_at >= ${day(90)} OR a.last_purchased_at >= ${day(365)}) AND EXISTS (SELECT FROM subscription s WHERE s.contact_id = c.id AND s.list_id = 1 AND s.state = 'subscribed') AND NOT EXISTS (SELECT FROM subscription s WHERE s.contact_id = c.id AND s.list_id = 2 AND s.state = 'subscribed')`,
    ),
  ],
  [
    'clicked at least 2 times in the last 60 days and not suppressed',
    `SELECT count(*) ${people} AND c.id IN (SELECT contact_id FROM event WHERE kind = 'clicked' AND actor = 'human' AND brand_id = 1 AND occurred_at >= ${day(60)} GROUP BY 1 HAVING count(*) >= 2) AND NOT EXISTS (SELECT FROM suppression_entry e WHERE e.kind = 'address' AND e.value = c.address AND e.lifted_at IS NULL)`,
  ],
  [
    'clicked link containing "map" in the last 90 days',
    inSet(
      `SELECT contact_id FROM event WHERE kind = 'clicked' AND actor = 'human' AND brand_id = 1 AND occurred_at >= ${day(90)} AND detail->>'url' ILIKE '%map%'`,
    ),
  ],
  [
    'tagged "board" and attribute "visits" is at least 12 and domain is "quillmail.example"',
    `SELECT count(*) ${people} AND c.tags @> '{board}' AND (c.attributes->>'visits')::float8 >= 12 AND c.address LIKE '%@quillmail.example'`,
  ],
  [
    'stage is one of (fading, dormant) and sent at least 4 times in the last 60 days',
    `SELECT count(*) ${people} AND EXISTS (SELECT FROM contact_stage s WHERE s.contact_id = c.id AND s.brand_id = 1 AND s.stage IN ('fading', 'dormant')) AND c.id IN (SELECT contact_id FROM event WHERE kind = 'sent' AND brand_id = 1 AND occurred_at >= ${day(60)} GROUP BY 1 HAVING count(*) >= 4)`,
  ],
  [
    'clicked since last purchased',
    inSet(
      `SELECT e.contact_id FROM event e LEFT JOIN activity a ON a.contact_id = e.contact_id AND a.brand_id = 1 WHERE e.kind = 'clicked' AND e.actor = 'human' AND e.brand_id = 1 AND e.occurred_at > coalesce(a.last_purchased_at, '-infinity')`,
    ),
  ],
  [
    'opened in campaign "Digest 7" and never clicked in campaign "Digest 7"',
    `SELECT count(*) ${people} AND c.id IN (SELECT contact_id FROM event WHERE kind = 'opened' AND actor = 'human' AND campaign_id = 7) AND NOT EXISTS (SELECT FROM event e WHERE e.contact_id = c.id AND e.kind = 'clicked' AND e.actor = 'human' AND e.campaign_id = 7)`,
  ],
  [
    'first clicked more than 300 days ago and last clicked in the last 60 days',
    joined(
      `a.last_clicked_at >= ${day(60)} AND c.id IN (SELECT contact_id FROM event WHERE kind = 'clicked' AND actor = 'human' AND brand_id = 1 GROUP BY 1 HAVING min(occurred_at) < ${day(300)})`,
    ),
  ],
  [
    'not (bounced hard or deliverability is undeliverable) and purchased what containing "evening"',
    `SELECT count(*) ${people} AND c.deliverability <> 'undeliverable' AND NOT EXISTS (SELECT FROM event e WHERE e.contact_id = c.id AND e.kind = 'bounced' AND e.brand_id = 1 AND e.detail->>'class' = 'hard') AND c.id IN (SELECT contact_id FROM event WHERE kind = 'purchased' AND brand_id = 1 AND detail->>'what' ILIKE '%evening%')`,
  ],
];

/** Conditions on activity alone must be counted within a second. */
const ON_ACTIVITY = new Set(PAIRS.slice(0, 5).map(([condition]) => condition));

export async function measureConditions(server: string): Promise<Measured[]> {
  return overConditionsWorld(server, NOW, measureAll);
}

async function measureAll(deps: Deps): Promise<Measured[]> {
  const { database } = deps;
  const ratios: { condition: string; ours: number; bare: number }[] = [];
  for (const [condition, sql] of PAIRS) {
    const checked = await checkCondition(deps, BRAND, condition);
    const counts: number[] = [];
    const ours = await fastest(async () =>
      counts.push(await overWholeSet(database, (within) => countMatching(within, checked.condition, checked.context))),
    );
    const bare = Math.min(
      await fastest(async () => counts.push(Number((await database.query<{ count: string }[]>(sql))[0]!.count))),
      await fastest(() => overWholeSet(database, (within): Promise<unknown> => within.query(sql))),
    );
    if (new Set(counts).size !== 1) throw new Error(`“${condition}”: ${[...new Set(counts)].join(' and ')} match`);
    process.stderr.write(
      `${(bare / ours).toFixed(2)}  ours ${ours.toFixed(2)} s, by hand ${bare.toFixed(2)} s, ${counts[0]} match: ${condition}\n`,
    );
    ratios.push({ condition, ours, bare });
  }
  const byRatio = [...ratios].sort((a, b) => a.ours / a.bare - b.ours / b.bare);
  const [middle, worst] = [byRatio[Math.floor(byRatio.length / 2)]!, byRatio[byRatio.length - 1]!];
  const slowest = Math.max(...ratios.filter(({ condition }) => ON_ACTIVITY.has(condition)).map(({ ours }) => ours));
  const base = { unit: 'counts/s', peakMb: process.memoryUsage().rss / 1e6 };
  return [
    {
      ...base,
      name: `counting ${PAIRS.length} conditions, the middle one`,
      ours: 1 / middle.ours,
      bare: 1 / middle.bare,
      wanted: 0.67,
    },
    {
      ...base,
      name: `the slowest beside its SQL (${worst.condition.slice(0, 40)}…)`,
      ours: 1 / worst.ours,
      bare: 1 / worst.bare,
      wanted: 0.33,
    },
    { ...base, name: 'the slowest on activity alone, beside one second', ours: 1 / slowest, bare: 1, wanted: 1 },
    ...(await measureWhole(deps, base)),
    await measureExplaining(deps, base),
    await measureParsing(deps),
  ];
}

async function fastest(work: () => Promise<unknown>): Promise<number> {
  const times: number[] = [];
  for (let round = 0; round < ROUNDS; round++) times.push(await seconds(work));
  return Math.min(...times);
}

/** What goes through everybody; nothing else goes on meanwhile. */
async function measureWhole(deps: Deps, base: { unit: string; peakMb: number }): Promise<Measured[]> {
  const preview = await fastest(() => previewSunsetRule(deps, BRAND));
  const checked = await fastest(() => checkTallies(deps));
  const grouped = await fastest(() => deps.database.query(GROUPED));
  process.stderr.write(
    `Preview of the ladder ${preview.toFixed(2)} s; tallies checked ${checked.toFixed(1)} s, grouped by hand ${grouped.toFixed(1)} s\n`,
  );
  return [
    { ...base, name: 'the preview of the ladder, beside 3 s', ours: 1 / preview, bare: 1 / 3, wanted: 1 },
    {
      ...base,
      name: 'all tallies checked, beside one GROUP BY of deliveries and events',
      ours: 1 / checked,
      bare: 1 / grouped,
      wanted: 0.5,
    },
  ];
}

/** What one would count by hand of deliveries and of events. */
const GROUPED = `SELECT d.campaign_id, d.state, e.kind, count(*) FROM delivery d
  LEFT JOIN (SELECT campaign_id, contact_id, kind FROM event WHERE kind IN ('opened', 'clicked', 'bounced') GROUP BY 1, 2, 3) e USING (campaign_id, contact_id) GROUP BY 1, 2, 3`;

async function measureExplaining(deps: Deps, base: { peakMb: number }): Promise<Measured> {
  const conditions = PAIRS.map(([condition]) => condition);
  const times: number[] = [];
  for (let index = 0; index < 200; index++) {
    const request = {
      brandId: BRAND,
      condition: conditions[index % conditions.length]!,
      address: readerOf(1 + index * 4999),
    };
    times.push(await seconds(() => explainCondition(deps, request)));
  }
  const middle = times.sort((a, b) => a - b)[100]!;
  return {
    ...base,
    name: 'one contact explained, beside 20 ms',
    unit: 'answers/s',
    ours: 1 / middle,
    bare: 50,
    wanted: 1,
  };
}

async function measureParsing(deps: Deps): Promise<Measured> {
  const texts = [...PAIRS.map(([condition]) => condition), ...READY_MADE.map(({ condition }) => condition)];
  const { context } = await checkCondition(
    deps,
    BRAND,
    texts
      .slice(0, 20)
      .map((text) => `(${text})`)
      .join(' and '),
  );
  const run = (): Promise<void> => {
    for (let index = 0; index < 1000; index++) {
      const condition = parseCondition(texts[index % texts.length]!);
      if (reportNameProblems(condition, context.names).length + reportLogicProblems(condition).length > 0)
        throw new Error(texts[index % texts.length]);
    }
    return Promise.resolve();
  };
  await run();
  return {
    name: 'conditions read and checked, beside 2,000 a second',
    unit: 'conditions/s',
    ours: 1000 / (await seconds(run)),
    bare: 2000,
    wanted: 1,
    peakMb: process.memoryUsage().rss / 1e6,
  };
}
