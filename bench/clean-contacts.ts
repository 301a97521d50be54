import { createReadStream, openAsBlob, writeFileSync } from 'node:fs';
import { pipeline } from 'node:stream/promises';
import { from as copyFrom } from 'pg-copy-streams';
import { addressOf, copyBare, importSeconds, withClient, writeRows } from './measuring.ts';
import { requestTimes, seconds, startHelper, type BenchService, type Measured } from './support.ts';

const LARGE = 1_000_000;
const SMALL = 100_000;
const RECONCILED = 500_000;
const CHECKS = 3000;

/** Imports of a million and of a hundred thousand rows: beside COPY of the same file, and beside each other per row. */
export async function measureLargeImport(service: BenchService, brandId: number, folder: string): Promise<Measured[]> {
  // What the parts before have written is tidied up now, and not by the server in the middle of the measuring.
  await withClient(service.databaseUrl, async (client) => {
    for (const tidy of ['VACUUM ANALYZE', 'CHECKPOINT']) await client.query(tidy);
  });
  const list = await service.client.createList({ brandId, name: 'Large' });
  const small = await importSeconds(service, list.id, await writeRows(`${folder}/small.csv`, 'small', SMALL));
  const file = await writeRows(`${folder}/large.csv`, 'large', LARGE);
  const before = await copyBare(service, file);
  const large = await importSeconds(service, list.id, file);
  const bare = (before + (await copyBare(service, file))) / 2;
  const rows = (n: number): string => n.toLocaleString('en-GB');
  const peakMb = service.peakMb();
  return [
    {
      name: `import of ${rows(LARGE)} rows, with checks`,
      unit: 'rows/s',
      ours: LARGE / large,
      bare: LARGE / bare,
      wanted: 0.15,
      peakMb,
    },
    {
      name: `the same beside ${rows(SMALL)} rows`,
      unit: 'rows/s',
      ours: LARGE / large,
      bare: SMALL / small,
      wanted: 0.8,
      peakMb,
    },
  ];
}

/**
 * Half a million addresses held against all contacts, beside the bare join of the same addresses in a table, and beside
 * doing by hand what must be done.
 */
export async function measureReconcile(service: BenchService, folder: string): Promise<Measured[]> {
  // Every second one is a contact of the large import.
  const lines = Array.from({ length: RECONCILED }, (_, index) => addressOf(index * 4).replace('reader', 'large'));
  const file = `${folder}/given.txt`;
  writeFileSync(file, lines.join('\n'));
  const ours = await seconds(async () => service.client.reconcile({ name: 'bench', file: await openAsBlob(file) }));
  const row = { unit: 'addresses/s', ours: RECONCILED / ours, peakMb: service.peakMb() };
  const rows = RECONCILED.toLocaleString('en-GB');
  return [
    { ...row, name: `reconciling ${rows} addresses`, bare: RECONCILED / (await joinBare(service)), wanted: 0.3 },
    {
      ...row,
      name: 'that beside COPY of them and a join that keeps its answer',
      bare: RECONCILED / (await reconcileByHand(service, file)),
      wanted: null,
    },
  ];
}

function joinBare(service: BenchService): Promise<number> {
  return withClient(service.databaseUrl, async (client) => {
    await client.query('CREATE TABLE bare_given (address text COLLATE "C")');
    await client.query('INSERT INTO bare_given SELECT address FROM reconciliation_row WHERE address IS NOT NULL');
    await client.query('ANALYZE bare_given');
    const took = await seconds(() =>
      client.query('SELECT count(*), count(c.id) FROM bare_given g LEFT JOIN contact c ON c.address = g.address'),
    );
    await client.query('DROP TABLE bare_given');
    return took;
  });
}

/**
 * Seconds that the least a reconciliation must do takes by hand: COPY of the list, and one join kept a row for each,
 * found by row and by contact.
 */
function reconcileByHand(service: BenchService, file: string): Promise<number> {
  return withClient(service.databaseUrl, async (client) => {
    await client.query(`CREATE TABLE bare_row (reconciliation_id int, row_no int, given text NOT NULL, address text COLLATE "C", hash text COLLATE "C", contact_id bigint, PRIMARY KEY (reconciliation_id, row_no));
      CREATE INDEX ON bare_row (reconciliation_id, contact_id); SET work_mem = '64MB'`);
    const took = await seconds(async () => {
      await client.query('CREATE TEMP TABLE given (row_no serial, address text COLLATE "C")');
      await pipeline(createReadStream(file), client.query(copyFrom('COPY given (address) FROM STDIN')));
      await client.query(`INSERT INTO bare_row (reconciliation_id, row_no, given, address, contact_id)
        SELECT 1, g.row_no, g.address, g.address, c.id FROM given g LEFT JOIN contact c ON c.address = g.address`);
    });
    await client.query('DROP TABLE bare_row');
    return took;
  });
}

/** One address checked at a time, beside a bare handler that answers what it was sent. */
export async function measureCheck(service: BenchService, barePort: number): Promise<Measured> {
  const helper = await startHelper('bare-echo.js', String(barePort));
  const body = (index: number): string => JSON.stringify({ addresses: [addressOf(index)] });
  const options = {
    method: 'POST',
    headers: { 'content-type': 'application/json', authorization: `Bearer ${service.token}` },
  };
  const rate = async (url: string): Promise<number> =>
    (await requestTimes([url], CHECKS, 1, (index) => ({ ...options, body: body(index) }))).rate;
  const checkUrl = `${service.base}/api/v1/addresses/check`;
  await requestTimes([checkUrl], 200, 1, (index) => ({ ...options, body: body(index) }));
  const bare = await rate(`http://127.0.0.1:${barePort}/`);
  const ours = await rate(checkUrl);
  helper.stop();
  return { name: 'check of one address', unit: 'requests/s', ours, bare, wanted: 0.2, peakMb: service.peakMb() };
}
