import { readdirSync, readFileSync } from 'node:fs';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { simpleParser } from 'mailparser';
import type { Client } from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import { parseMessage } from '../src/core/returns/mime-parts.ts';
import { readReturn } from '../src/core/returns/read-return.ts';
import { addressOf, median, tell, withClient } from './measuring.ts';
import { seconds, type BenchService, type Measured } from './support.ts';

const EVENTS = 100_000;
const BATCH = 10_000;
const ROUNDS = 60;

/**
 * Reading returns beside the MIME parser alone, over the messages of the corpus: our own parser, and the package that
 * the simulator uses.
 */
export async function measureReading(service: BenchService): Promise<Measured[]> {
  const folder = 'test/core/returned';
  const messages = readdirSync(folder)
    .filter((file) => file.endsWith('.eml'))
    .map((file) => readFileSync(`${folder}/${file}`));
  const rate = async (read: (message: Buffer) => unknown): Promise<number> => {
    for (const message of messages) await read(message);
    const took = await seconds(async () => {
      for (let round = 0; round < ROUNDS; round++) for (const message of messages) await read(message);
    });
    return (ROUNDS * messages.length) / took;
  };
  const own = await rate(parseMessage);
  const ours = await rate((message) => readReturn(message));
  const whole = await rate((message) => simpleParser(message));
  const row = { unit: 'messages/s', ours, peakMb: service.peakMb() };
  return [
    { ...row, name: 'reading returns, beside our own MIME parser alone', bare: own, wanted: 0.7 },
    { ...row, name: 'reading returns, beside a general MIME parser', bare: whole, wanted: 0.7 },
  ];
}

/** Events that stand in the store before the second measure, and are derived anew. */
const STORED = 5_000_000;
/** Requests under way at once, as `avendel events import` has them. */
const IN_FLIGHT = 2;
const DAY_MS = 86_400_000;

/**
 * Visits of other systems into the store with activity folded, beside COPY of the same rows into a table with the same
 * indexes; at an empty store and at one with millions of events. Then all activity derived from them, beside a bare
 * GROUP BY.
 */
export async function measureEvents(service: BenchService, brandId: number): Promise<Measured[]> {
  const number = (n: number): string => n.toLocaleString('en-GB');
  const few = await measureVisits(service, brandId, 'few');
  await withClient(service.databaseUrl, storeMillions);
  const many = await measureVisits(service, brandId, 'many');
  const peakMb = service.peakMb();
  const rebuilt = await measureRebuild(service);
  return [
    { ...few, name: `${number(EVENTS)} events of another system`, wanted: 0.25, peakMb },
    { ...many, name: `the same with ${number(STORED)} stored`, wanted: 0.25, peakMb },
    { name: 'that beside the first', unit: 'events/s', ours: many.ours, bare: few.ours, wanted: 0.8, peakMb },
    { ...rebuilt, name: `activity of ${number(STORED)} events derived anew`, wanted: 0.33, peakMb: service.peakMb() },
  ];
}

type Rates = Pick<Measured, 'unit' | 'ours' | 'bare'>;

async function measureVisits(service: BenchService, brandId: number, source: string): Promise<Rates> {
  const start = Date.now() - 20 * DAY_MS;
  const ours = await tellSeconds(service, EVENTS, (index) => ({
    kind: 'visited',
    at: new Date(start + index * 10_000).toISOString(),
    source,
    externalId: `visit ${index}`,
    address: addressOf(index),
    brandId,
  }));
  const bare = await withClient(service.databaseUrl, async (client) => {
    const { rows: stored } = await client.query<{ line: string }>(
      `SELECT concat_ws(',', id, contact_id, brand_id, kind, occurred_at, recorded_at, actor, source, external_id) AS line FROM event WHERE source = '${source}'`,
    );
    await client.query(`CREATE TABLE bare_event (id uuid PRIMARY KEY, contact_id bigint, brand_id int, kind event_kind, occurred_at timestamptz, recorded_at timestamptz, actor event_actor, source text, external_id text, campaign_id int);
      CREATE INDEX ON bare_event (contact_id, occurred_at); CREATE INDEX ON bare_event (campaign_id, kind, contact_id)`);
    const took = await seconds(() =>
      pipeline(
        Readable.from(stored.map(({ line }) => `${line}\n`)),
        client.query(
          copyFrom(
            'COPY bare_event (id, contact_id, brand_id, kind, occurred_at, recorded_at, actor, source, external_id) FROM STDIN (FORMAT csv)',
          ),
        ),
      ),
    );
    await client.query('DROP TABLE bare_event');
    return took;
  });
  return { unit: 'events/s', ours: EVENTS / ours, bare: EVENTS / bare };
}

/**
 * Opens of messages that another system sent: each the first of its message, which changes the ledger and the tallies,
 * beside as many that come after them.
 */
export async function measureFirstActs(service: BenchService, brandId: number): Promise<Measured> {
  const times = { first: [] as number[], later: [] as number[] };
  for (let round = 0; round < FIRST_ROUNDS; round++) {
    const start = Date.now() - 10 * DAY_MS;
    const draft = { brandId, name: `Told of ${round}`, subject: 's', html: '<p>x</p>', listIds: [1] };
    const { id: campaignId } = await service.client.recordCampaign({
      ...draft,
      startedAt: new Date(start).toISOString(),
    });
    const told = (kind: string, source: string, after: number): Promise<number> =>
      tellSeconds(service, FIRST_ACTS, (index) => ({
        kind,
        at: new Date(start + after + index).toISOString(),
        source,
        externalId: `${kind} ${round} ${index}`,
        address: addressOf(index),
        brandId,
        campaignId,
      }));
    await told('sent', 'elsewhere', 0);
    times.first.push(await told('opened', 'once', DAY_MS));
    times.later.push(await told('opened', 'again', 2 * DAY_MS));
  }
  return {
    name: `${FIRST_ACTS.toLocaleString('en-GB')} opens, each the first of its message, beside later ones`,
    unit: 'events/s',
    ours: FIRST_ACTS / median(times.first),
    bare: FIRST_ACTS / median(times.later),
    wanted: 0.65,
    peakMb: service.peakMb(),
  };
}

const FIRST_ACTS = 50_000;
const FIRST_ROUNDS = 3;

/** Seconds that so many events take, two requests at once. */
function tellSeconds(service: BenchService, count: number, eventOf: (index: number) => object): Promise<number> {
  const events = Array.from({ length: count }, (_, index) => eventOf(index));
  let from = 0;
  const lane = async (): Promise<void> => {
    for (; from < count;) await tell(service, events.slice(from, (from += BATCH)));
  };
  return seconds(() => Promise.all(Array.from({ length: IN_FLIGHT }, lane)));
}

/** Opens of people over the last months, put into the tables outright, with the activity that they make. */
async function storeMillions(client: Client): Promise<void> {
  const months = Array.from(
    { length: 6 },
    (_, back) => new Date(Date.UTC(new Date().getUTCFullYear(), new Date().getUTCMonth() - back, 1)),
  );
  for (const month of months) {
    const name = month.toISOString().slice(0, 7).replace('-', '_');
    const until = new Date(Date.UTC(month.getUTCFullYear(), month.getUTCMonth() + 1, 1));
    await client.query(
      `CREATE TABLE IF NOT EXISTS event_${name} PARTITION OF event FOR VALUES FROM ('${month.toISOString()}') TO ('${until.toISOString()}')`,
    );
  }
  await client.query(
    `WITH made AS (
       SELECT gen_random_uuid() AS id, c.id AS contact_id, now() - (n % 150) * interval '1 day' - (n % 86400) * interval '1 second' AS at, n
       FROM generate_series(1, ${STORED}) n JOIN (SELECT id, row_number() OVER () AS place FROM (SELECT id FROM contact ORDER BY id LIMIT 200000) o) c ON c.place = 1 + n % 200000),
     keys AS (INSERT INTO event_key SELECT id FROM made)
     INSERT INTO event (id, contact_id, brand_id, campaign_id, kind, occurred_at, actor, actor_reason, source, external_id)
     SELECT id, contact_id, 1, NULL, CASE WHEN n % 5 = 0 THEN 'clicked'::event_kind ELSE 'opened' END, at, 'human', 'person', 'made', n::text FROM made`,
  );
  await client.query('ANALYZE event, event_key');
}

async function measureRebuild(service: BenchService): Promise<Rates> {
  await service.client.rebuildActivity();
  const bare = await withClient(service.databaseUrl, (client) =>
    seconds(() =>
      client.query(
        'SELECT count(*) FROM (SELECT contact_id, count(*), max(occurred_at) FROM event GROUP BY contact_id) g',
      ),
    ),
  );
  const ours = await seconds(() => service.client.rebuildActivity());
  return { unit: 'events/s', ours: STORED / ours, bare: STORED / bare };
}
