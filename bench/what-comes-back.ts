import { readdirSync, readFileSync } from 'node:fs';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { simpleParser } from 'mailparser';
import { from as copyFrom } from 'pg-copy-streams';
import { parseMessage } from '../src/core/returns/mime-parts.ts';
import { readReturn } from '../src/core/returns/read-return.ts';
import { addressOf, withClient } from './measuring.ts';
import { seconds, type BenchService, type Measured } from './support.ts';

const EVENTS = 100_000;
const BATCH = 10_000;
const ROUNDS = 60;

/** Reading returns beside the MIME parser alone, over the messages of the corpus: our own parser, and the package that the simulator uses. */
export async function measureReading(service: BenchService): Promise<Measured[]> {
  const folder = 'test/core/returned';
  const messages = readdirSync(folder).filter((file) => file.endsWith('.eml')).map((file) => readFileSync(`${folder}/${file}`)); // prettier-ignore
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

/** Visits of other systems into the store with activity folded, beside COPY of the same rows into a table with the same indexes. */
export async function measureEvents(service: BenchService, brandId: number): Promise<Measured> {
  const start = Date.now() - 20 * 86_400_000;
  const rows = Array.from({ length: EVENTS }, (_, index) => ({ kind: 'visited', at: new Date(start + index * 10_000).toISOString(), source: 'bench', externalId: `visit ${index}`, address: addressOf(index), brandId })); // prettier-ignore
  const lines = rows.map((row) => JSON.stringify(row));
  const ours = await seconds(async () => {
    for (let from = 0; from < EVENTS; from += BATCH) await service.client.recordEvents(lines.slice(from, from + BATCH).join('\n')); // prettier-ignore
  });
  const bare = await withClient(service.databaseUrl, async (client) => {
    const { rows: stored } = await client.query<{ line: string }>(`SELECT concat_ws(',', id, contact_id, brand_id, kind, occurred_at, recorded_at, actor, source, external_id) AS line FROM event WHERE source = 'bench'`); // prettier-ignore
    await client.query(`CREATE TABLE bare_event (id uuid PRIMARY KEY, contact_id bigint, brand_id int, kind event_kind, occurred_at timestamptz, recorded_at timestamptz, actor event_actor, source text, external_id text, campaign_id int);
      CREATE INDEX ON bare_event (contact_id, occurred_at); CREATE INDEX ON bare_event (campaign_id, kind, contact_id)`);
    const took = await seconds(() =>
      pipeline(
        Readable.from(stored.map(({ line }) => `${line}\n`)),
        client.query(copyFrom('COPY bare_event (id, contact_id, brand_id, kind, occurred_at, recorded_at, actor, source, external_id) FROM STDIN (FORMAT csv)')), // prettier-ignore
      ),
    );
    await client.query('DROP TABLE bare_event');
    return took;
  });
  return { name: `${EVENTS.toLocaleString('en-GB')} events of another system`, unit: 'events/s', ours: EVENTS / ours, bare: EVENTS / bare, wanted: 0.25, peakMb: service.peakMb() }; // prettier-ignore
}
