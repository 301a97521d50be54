import pg from 'pg';
import type { Deps } from '../src/operations/deps.ts';
import { catchUp } from '../src/operations/tallies/catch-up.ts';
import { makeFolding } from '../src/operations/tallies/fold-tallies.ts';
import { migrate, openDatabase } from '../src/store/database.ts';
import { withClient } from './measuring.ts';
import { seconds } from './support.ts';

const CONTACTS = 1_000_000;
const EVENTS = 20_000_000;
const CAMPAIGNS = 40;
const DOMAINS = ['lanternpost', 'quillmail', 'hearthmail', 'campusnet', 'gauzepost'];
/** Changed together with what is generated: another base is made then. */
const NAME = 'avendel_conditions_2';

/**
 * Works over the base of a million contacts, three million deliveries and twenty million events, at this instant. It is
 * generated once, and kept beside the other bench databases.
 */
export async function overConditionsWorld<T>(
  server: string,
  now: Date,
  work: (deps: Deps, url: string) => Promise<T>,
): Promise<T> {
  const url = `${server}/${NAME}`;
  await makeOnce(server, url);
  const database = await openDatabase(url, 2);
  try {
    const deps = { database, now: () => now, remembered: new Map(), costly: new Map(), announce: () => undefined };
    await takeIn(deps as unknown as Deps);
    return await work(deps as unknown as Deps, url);
  } finally {
    await database.destroy();
  }
}

/** Takes in what was sent before there were tallies, and folds what changed. */
async function takeIn(deps: Deps): Promise<void> {
  const took = await seconds(async () => {
    while (await catchUp(deps));
    const fold = makeFolding(deps);
    while ((await fold()) > 0);
  });
  process.stderr.write(`Taken in what was sent before: ${took.toFixed(0)} s\n`);
}

async function migrated(url: string): Promise<void> {
  const database = await openDatabase(url, 2);
  await migrate(database);
  await database.destroy();
}

async function makeOnce(server: string, url: string): Promise<void> {
  const client = new pg.Client({ connectionString: `${server}/postgres` });
  await client.connect();
  const { rows } = await client.query('SELECT FROM pg_database WHERE datname = $1', [NAME]);
  if (rows.length === 0) {
    process.stderr.write(
      `Making ${CONTACTS.toLocaleString('en-GB')} contacts and ${EVENTS.toLocaleString('en-GB')} events, once …\n`,
    );
    await client.query('DROP DATABASE IF EXISTS avendel_conditions_new WITH (FORCE)');
    await client.query('CREATE DATABASE avendel_conditions_new');
    await migrated(`${server}/avendel_conditions_new`);
    await withClient(`${server}/avendel_conditions_new`, fill);
    await client.query(`ALTER DATABASE avendel_conditions_new RENAME TO ${NAME}`);
  } else await migrated(url);
  await client.end();
  await withClient(url, (world) =>
    world.query(
      `INSERT INTO automated_address (contact_id, state, evidence) SELECT id, 'marked', '{}' FROM contact WHERE id % 30 = 0 ON CONFLICT DO NOTHING`,
    ),
  );
}

/** The address of a contact by its number. */
export const readerOf = (id: number): string => `reader${id}@${DOMAINS[id % DOMAINS.length]}.example`;

/** Everything hangs on the contact's number by hashes, so that what one asks for is spread over the base. */
async function fill(client: pg.Client): Promise<void> {
  const spread = (seed: number, most: string): string => `(abs(hashint8(n * 31 + ${seed})) % (${most}))`;
  await client.query(`SET work_mem = '256MB'; SET maintenance_work_mem = '512MB'`);
  await client.query(`
    INSERT INTO brand (id, name, from_address, return_domain, zone) VALUES (1, 'Larkfield Observatory', 'digest@larkfield.example', 'returns.larkfield.example', 'Europe/London');
    INSERT INTO list (id, brand_id, name) VALUES (1, 1, 'Night Digest'), (2, 1, 'Open Evenings'), (3, 1, 'Members’ Letter');
    INSERT INTO suppression_list (name, built_in, scope, scope_id, reach) VALUES ('Complaints', 'complaint', 'brand', 1, 'marketing'), ('Opted out', 'opt-out', 'brand', 1, 'marketing'), ('Sunset', 'sunset', 'brand', 1, 'marketing'), ('Do not write', NULL, 'organisation', NULL, 'everything');
    INSERT INTO attribute_type (name, type) VALUES ('tier', 'text'), ('visits', 'number');
    INSERT INTO contact (id, address, name, attributes, joined_at, tags, deliverability)
    SELECT n, 'reader' || n || '@' || (ARRAY['${DOMAINS.join(`','`)}'])[1 + n % 5] || '.example', 'Reader ' || n,
      jsonb_build_object('visits', n % 23) || CASE WHEN n % 3 = 0 THEN jsonb_build_object('tier', (ARRAY['friend','patron'])[1 + n % 2]) ELSE '{}' END,
      now() - ${spread(1, '1100')} * interval '1 day', CASE WHEN n % 9 = 0 THEN '{board}'::text[] ELSE '{}' END, CASE WHEN n % 50 = 0 THEN 'undeliverable' WHEN n % 51 = 0 THEN 'doubtful' ELSE 'deliverable' END
    FROM generate_series(1, ${CONTACTS}) n;
    INSERT INTO subscription (contact_id, list_id, state, since, source)
    SELECT n, l, CASE ${spread(2, '20')} WHEN 0 THEN 'unsubscribed' WHEN 1 THEN 'pending' ELSE 'subscribed' END, now() - ${spread(3, '900')} * interval '1 day', 'bench'
    FROM generate_series(1, ${CONTACTS}) n, generate_series(1, 3) l WHERE n % (l + 1) <> 0;
    INSERT INTO campaign (id, brand_id, name, list_ids, state, sent_elsewhere) SELECT n, 1, 'Digest ' || n, ARRAY[1 + n % 3], 'finished', true FROM generate_series(1, ${CAMPAIGNS}) n;
    INSERT INTO contact_stage (contact_id, brand_id, stage, since, cause) SELECT n, 1, (ARRAY['engaged','engaged','fading','dormant','sunset'])[1 + ${spread(4, '5')}], now(), '{}' FROM generate_series(1, ${CONTACTS}) n WHERE n % 10 <> 0;
    INSERT INTO suppression_entry (list_id, kind, value, reason, source)
    SELECT (SELECT id FROM suppression_list WHERE name = 'Do not write'), 'address', address, 'bench', 'bench' FROM contact WHERE id % 40 = 0;
    -- As a version before the tallies left it: they are caught up with afterwards, as after an upgrade.
    ALTER TABLE delivery DISABLE TRIGGER USER;
    INSERT INTO delivery (campaign_id, contact_id, address, list_ids, state, accepted_at, tallied)
    SELECT k, c.id, c.address, '{1}', 'accepted', now() - k * interval '17 days', false FROM contact c, generate_series(1, 4) k WHERE c.id % 4 <> 0;
    ALTER TABLE delivery ENABLE TRIGGER USER;
    UPDATE catching_up SET whole = ${CONTACTS}, finished_at = NULL`);
  const months = Array.from(
    { length: 25 },
    (_, back) => new Date(Date.UTC(new Date().getUTCFullYear(), new Date().getUTCMonth() - back, 1)),
  );
  for (const month of months) {
    const until = new Date(Date.UTC(month.getUTCFullYear(), month.getUTCMonth() + 1, 1));
    await client.query(
      `CREATE TABLE IF NOT EXISTS event_${month.toISOString().slice(0, 7).replace('-', '_')} PARTITION OF event FOR VALUES FROM ('${month.toISOString()}') TO ('${until.toISOString()}')`,
    );
  }
  // The indexes are made afterwards, which takes a third of the time.
  await client.query('DROP INDEX event_by_contact; DROP INDEX event_by_campaign');
  await client.query(`
    INSERT INTO event (id, contact_id, brand_id, campaign_id, kind, occurred_at, actor, source, external_id, detail)
    SELECT gen_random_uuid(), 1 + ${spread(5, String(CONTACTS))}, 1, CASE WHEN n % 10 < 9 THEN 1 + n % ${CAMPAIGNS} END, k.kind,
      now() - (${spread(6, '1000')} / 1000.0) ^ 1.5 * interval '720 days', CASE WHEN k.kind IN ('opened', 'clicked') AND n % 4 = 0 THEN 'machine'::event_actor ELSE 'human' END, 'bench', n::text,
      CASE k.kind WHEN 'bounced' THEN jsonb_build_object('class', (ARRAY['hard','soft','soft','block'])[1 + n % 4]) WHEN 'clicked' THEN jsonb_build_object('url', 'https://larkfield.example/' || (ARRAY['map','sky','shop'])[1 + n % 3]) WHEN 'purchased' THEN jsonb_build_object('what', (ARRAY['Planisphere','Open evening, two seats'])[1 + n % 2]) END
    FROM generate_series(1, ${EVENTS}) n CROSS JOIN LATERAL (SELECT CASE WHEN s < 640 THEN 'sent' WHEN s < 880 THEN 'opened' WHEN s < 950 THEN 'clicked' WHEN s < 970 THEN 'visited' WHEN s < 980 THEN 'purchased' WHEN s < 995 THEN 'bounced' ELSE 'replied' END::event_kind AS kind FROM (SELECT ${spread(7, '1000')} AS s) r) k`);
  await client.query('CREATE INDEX event_by_contact ON event (contact_id, occurred_at)');
  await client.query('CREATE INDEX event_by_campaign ON event (campaign_id, kind, contact_id)');
  await client.query(`
    INSERT INTO activity (contact_id, brand_id, sent, bounced_hard, bounced_soft, bounced_block, opened_human, opened_any, clicked_human, clicked_any, visited, purchased, replied,
      last_sent_at, last_bounced_at, last_opened_at, last_clicked_at, last_visited_at, last_purchased_at, last_replied_at)
    SELECT contact_id, 1, count(*) FILTER (WHERE kind = 'sent'), count(*) FILTER (WHERE kind = 'bounced' AND detail->>'class' = 'hard'), count(*) FILTER (WHERE kind = 'bounced' AND detail->>'class' = 'soft'), count(*) FILTER (WHERE kind = 'bounced' AND detail->>'class' = 'block'),
      count(*) FILTER (WHERE kind = 'opened' AND actor = 'human'), count(*) FILTER (WHERE kind = 'opened'), count(*) FILTER (WHERE kind = 'clicked' AND actor = 'human'), count(*) FILTER (WHERE kind = 'clicked'),
      count(*) FILTER (WHERE kind = 'visited'), count(*) FILTER (WHERE kind = 'purchased'), count(*) FILTER (WHERE kind = 'replied'),
      max(occurred_at) FILTER (WHERE kind = 'sent'), max(occurred_at) FILTER (WHERE kind = 'bounced'), max(occurred_at) FILTER (WHERE kind = 'opened' AND actor = 'human'), max(occurred_at) FILTER (WHERE kind = 'clicked' AND actor = 'human'),
      max(occurred_at) FILTER (WHERE kind = 'visited'), max(occurred_at) FILTER (WHERE kind = 'purchased'), max(occurred_at) FILTER (WHERE kind = 'replied')
    FROM event GROUP BY contact_id`);
  for (const table of ['brand', 'list', 'contact', 'campaign'])
    await client.query(`SELECT setval(pg_get_serial_sequence('${table}', 'id'), max(id)) FROM ${table}`);
  await client.query('VACUUM ANALYZE');
}
