import { mkdirSync, statSync } from 'node:fs';
import pg from 'pg';
import { addressOf, copyBare, copyIndexed, importSeconds, median, withClient, writeRows } from './measuring.ts';
import { measureCheck, measureLargeImport, measureReconcile } from './clean-contacts.ts';
import { measureAtSize } from './at-size.ts';
import { measureConditions } from './conditions.ts';
import { measureSending } from './sending.ts';
import { measureTracking } from './tracking.ts';
import { measureEvents, measureFirstActs, measureReading } from './what-comes-back.ts';
import { seconds, startHelper, startService, type BenchService, type Measured } from './support.ts';

const ROWS = 200_000;
const WARMING_ROWS = 20_000;
const ENTRIES = 50_000;
const RELAY_PORT = 7560;
const SERVICE_PORT = 7561;
const BARE_PORT = 7570;
const FOLDER = '.avendel/bench';
/**
 * What takes a second or two is done so often, ours and bare by turns, and the median counts: other work on the machine
 * comes and goes.
 */
const ROUNDS = 5;

const server = process.env['AVENDEL_BENCH_SERVER']!;

async function fresh(name: string): Promise<string> {
  const client = new pg.Client({ connectionString: `${server}/postgres` });
  await client.connect();
  await client.query(`DROP DATABASE IF EXISTS ${name} WITH (FORCE)`);
  await client.query(`CREATE DATABASE ${name}`);
  await client.end();
  return `${server}/${name}`;
}

async function measureImport(
  service: BenchService,
  file: string,
  listId: number,
  brandId: number,
): Promise<Measured[]> {
  // A service runs for weeks: how long the engine takes to compile it, in its first seconds, is not what is asked.
  const { id } = await service.client.createList({ brandId, name: 'Warm' });
  await importSeconds(service, id, await writeRows(`${FOLDER}/warm.csv`, 'warm', WARMING_ROWS));
  const times = { ours: [] as number[], bare: [] as number[] };
  for (let round = 0; round < ROUNDS; round++) {
    await withClient(service.databaseUrl, (client) => client.query('TRUNCATE contact CASCADE'));
    times.bare.push(await copyBare(service, file));
    times.ours.push(await importSeconds(service, listId, file));
  }
  const row = { unit: 'rows/s', ours: ROWS / median(times.ours), peakMb: service.peakMb() };
  return [
    {
      ...row,
      name: `import of ${ROWS.toLocaleString('en-GB')} rows (${Math.round(statSync(file).size / 1e6)} MB)`,
      bare: ROWS / median(times.bare),
      wanted: 0.15,
    },
    {
      ...row,
      name: 'that beside inserting them into the same indexes by hand',
      bare: ROWS / (await copyIndexed(service, file)),
      wanted: null,
    },
  ];
}

async function measurePreflight(service: BenchService, listId: number, brandId: number): Promise<Measured> {
  const list = await service.client.createSuppressionList({ name: 'Do not write' });
  for (let from = 0; from < ENTRIES; from += 10_000) {
    await service.client.addEntries({
      id: list.id,
      values: Array.from({ length: 10_000 }, (_, index) => addressOf((from + index) * 4)),
      reason: 'bench',
    });
  }
  await withClient(service.databaseUrl, (client) => client.query('ANALYZE'));
  const campaign = await service.client.createCampaign({
    brandId,
    name: 'Preflight',
    subject: 's',
    html: '<p>x</p>',
    listIds: [listId],
  });
  const bareSql = `SELECT count(*) FROM subscription s JOIN contact c ON c.id = s.contact_id
    WHERE s.list_id = ${listId} AND s.state = 'subscribed' AND NOT EXISTS (SELECT FROM suppression_entry e WHERE e.value = c.address AND e.lifted_at IS NULL)`;
  const times = { ours: [] as number[], bare: [] as number[] };
  await withClient(service.databaseUrl, async (client) => {
    for (let round = 0; round < ROUNDS; round++) {
      times.bare.push(await seconds(() => client.query(bareSql)));
      times.ours.push(await seconds(() => service.client.preflight({ id: campaign.id })));
    }
  });
  return {
    name: `preflight of ${ROWS.toLocaleString('en-GB')} contacts, ${ENTRIES.toLocaleString('en-GB')} entries`,
    unit: 'contacts/s',
    ours: ROWS / median(times.ours),
    bare: ROWS / median(times.bare),
    wanted: 0.5,
    peakMb: service.peakMb(),
  };
}

/** Parts that build on none before them. */
const alone: [string, () => Promise<Measured[]>][] = [
  ['conditions', () => measureConditions(server)],
  ['at-size', () => measureAtSize(server, RELAY_PORT, SERVICE_PORT)],
];

async function main(): Promise<void> {
  mkdirSync(FOLDER, { recursive: true });
  const one = alone.find(([name]) => name === process.argv[2]);
  if (one) return print([await one[1]()].flat());
  const file = await writeRows(`${FOLDER}/contacts.csv`, 'reader', ROWS);
  const sink = await startHelper('sink.js', String(RELAY_PORT));
  let service: BenchService | undefined;
  try {
    service = await startService(await fresh('avendel_bench'), RELAY_PORT, SERVICE_PORT);
    await measureAll(service, file);
  } finally {
    await service?.stop();
    sink.stop();
  }
}

async function measureAll(service: BenchService, file: string): Promise<void> {
  const brand = await service.client.createBrand({
    name: 'Bench',
    fromAddress: 'bench@larkfield.example',
    returnDomain: 'returns.larkfield.example',
  });
  const list = await service.client.createList({ brandId: brand.id, name: 'All' });
  const parts: [string, () => Promise<Measured | Measured[]>][] = [
    ['import', () => measureImport(service, file, list.id, brand.id)],
    ['preflight', () => measurePreflight(service, list.id, brand.id)],
    ['sending', () => measureSending(service, brand.id, RELAY_PORT)],
    ['tracking', () => measureTracking(service, BARE_PORT)],
    ['reading', () => measureReading(service)],
    ['first-acts', () => measureFirstActs(service, brand.id)],
    ['events', () => measureEvents(service, brand.id)],
    ['check', () => measureCheck(service, BARE_PORT)],
    ['large-import', () => measureLargeImport(service, brand.id, FOLDER)],
    ['reconcile', () => measureReconcile(service, FOLDER)],
    ...alone,
  ];
  const results: Measured[] = [];
  // Each part builds on the ones before it: naming one runs up to it.
  const last = parts.findIndex(([name]) => name === process.argv[2]);
  try {
    for (const [, measure] of last < 0 ? parts : parts.slice(0, last + 1)) results.push(...[await measure()].flat());
  } finally {
    // Of what was measured nothing is lost when a later part fails.
    print(results);
  }
}

function print(results: Measured[]): void {
  const figure = (number: number): string =>
    number.toLocaleString('en-GB', { maximumFractionDigits: number < 10 ? 2 : 0 });
  const lines = results.map(
    (one) =>
      `| ${one.name} | ${figure(one.ours)} ${one.unit} | ${figure(one.bare)} ${one.unit} | ${(one.ours / one.bare).toFixed(2)} | ${one.wanted ?? '–'} | ${figure(one.peakMb)} MB |`,
  );
  process.stdout.write(
    [
      '| what | ours | bare baseline | ratio | wanted | peak memory so far |',
      '| --- | --- | --- | --- | --- | --- |',
      ...lines,
      '',
    ].join('\n'),
  );
}

await main();
