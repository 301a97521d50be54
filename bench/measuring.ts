import { once } from 'node:events';
import { createReadStream, createWriteStream, openAsBlob } from 'node:fs';
import { pipeline } from 'node:stream/promises';
import pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import { seconds, type BenchService } from './support.ts';

export async function withClient<T>(url: string, work: (client: pg.Client) => Promise<T>): Promise<T> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  try {
    return await work(client);
  } finally {
    await client.end();
  }
}

export function addressOf(index: number): string {
  return `reader${index}@${['lanternpost', 'quillmail', 'hearthmail', 'campusnet'][index % 4]!}.example`;
}

/**
 * Seconds from handing a file over to the end of its import, by the time the import itself notes: asking after it often
 * would take the two cores away from it.
 */
export async function importSeconds(service: BenchService, listId: number, file: string): Promise<number> {
  const begun = Date.now();
  const { id } = await service.client.importFile({ listId, fileName: 'contacts.csv', file: await openAsBlob(file) });
  return (Date.parse(await importEnd(service, id)) - begun) / 1000;
}

/** Writes a file of so many people with this name. */
export async function writeRows(file: string, name: string, rows: number): Promise<string> {
  const out = createWriteStream(file);
  out.write('address,name,joined_at\n');
  for (let index = 0; index < rows; index++) {
    const row = `${addressOf(index).replace('reader', name)},Reader ${index},2025-0${1 + (index % 9)}-01\n`;
    if (!out.write(row)) await once(out, 'drain');
  }
  out.end();
  await once(out, 'finish');
  return file;
}

/** Waits for an import to end, and tells when it did. */
export async function importEnd(service: BenchService, id: number): Promise<string> {
  for (;;) {
    const row = await service.client.import({ id });
    if (row.state === 'finished') return row.finishedAt!;
    if (row.state === 'failed') throw new Error(row.problem?.detail);
    await new Promise((resolve) => setTimeout(resolve, 200));
  }
}

/**
 * Seconds that the least an import must do takes by hand: COPY of the file, then one INSERT of each row as a contact
 * and as a subscription, into tables with the same keys and indexes as ours. Nothing is checked, looked up or
 * journaled.
 */
export function copyIndexed(service: BenchService, file: string): Promise<number> {
  return withClient(service.databaseUrl, async (client) => {
    await client.query(
      `CREATE TABLE bare_contact (LIKE contact INCLUDING ALL); CREATE TABLE bare_subscription (LIKE subscription INCLUDING ALL); SET work_mem = '64MB'`,
    );
    const took = await seconds(async () => {
      await client.query('CREATE TEMP TABLE given (address text, name text, joined_at timestamptz)');
      await pipeline(createReadStream(file), client.query(copyFrom('COPY given FROM STDIN (FORMAT csv, HEADER)')));
      await client.query(`WITH made AS MATERIALIZED (SELECT nextval('contact_id_seq') AS id, * FROM given),
        contacts AS (INSERT INTO bare_contact (id, address, name, joined_at) SELECT id, address, name, joined_at FROM made)
        INSERT INTO bare_subscription (contact_id, list_id, state, since, source) SELECT id, 1, 'subscribed', joined_at, 'bench' FROM made`);
    });
    await client.query('DROP TABLE bare_contact, bare_subscription');
    return took;
  });
}

/** Seconds that COPY of the file into a bare table takes. */
export function copyBare(service: BenchService, file: string): Promise<number> {
  return withClient(service.databaseUrl, async (client) => {
    await client.query('CREATE TABLE bare_contact (address text, name text, joined_at timestamptz)');
    const took = await seconds(() =>
      pipeline(createReadStream(file), client.query(copyFrom('COPY bare_contact FROM STDIN (FORMAT csv, HEADER)'))),
    );
    await client.query('DROP TABLE bare_contact');
    return took;
  });
}

/** Tells events as `avendel events import` does. @throws when one of them is refused */
export async function tell(service: BenchService, events: object[]): Promise<void> {
  const { refused } = await service.client.recordEvents({ file: events.map((one) => JSON.stringify(one)).join('\n') });
  if (refused.length > 0) throw new Error(refused[0]!.detail);
}

/** The middle one; of an even number the upper of the two. */
export const median = (all: number[]): number => all.sort((a, b) => a - b)[Math.floor(all.length / 2)]!;
