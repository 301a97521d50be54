import 'reflect-metadata';
import pRetry from 'p-retry';
import { DataSource, type EntityManager } from 'typeorm';
import { CampaignEntity } from './entities/campaign.ts';
import { AccountEntity, ApiTokenEntity, BrandEntity, ListEntity } from './entities/organisation.ts';
import { MIGRATIONS } from './migrations.ts';
import { tellAccount } from './acting-account.ts';
import { execute, rowsOf, type Sql } from './sql.ts';
import { makeTurns } from './turns.ts';

export type Database = DataSource;

/** Any number of processes may start at once; one migrates, the others wait. */
const MIGRATION_LOCK = 7_300_001;

/** Opens the pool. `poolSize` is connections of this process. */
export async function openDatabase(url: string, poolSize = 12): Promise<Database> {
  const source = new DataSource({
    type: 'postgres',
    url,
    entities: [AccountEntity, ApiTokenEntity, BrandEntity, ListEntity, CampaignEntity],
    migrations: MIGRATIONS,
    migrationsTransactionMode: 'each',
    poolSize,
    applicationName: 'avendel',
  });
  return source.initialize();
}

/**
 * Brings the schema up to this version, under an advisory lock.
 * @throws when the database holds a migration that this version does not know: an older service must not run on it.
 */
export async function migrate(database: Database): Promise<void> {
  const runner = database.createQueryRunner();
  await execute(runner, 'SELECT pg_advisory_lock($1)', [MIGRATION_LOCK]);
  try {
    await refuseNewerSchema(database);
    await database.runMigrations();
  } finally {
    await execute(runner, 'SELECT pg_advisory_unlock($1)', [MIGRATION_LOCK]);
    await runner.release();
  }
}

async function refuseNewerSchema(database: Database): Promise<void> {
  const [found] = await rowsOf<{ present: boolean }>(
    database,
    `SELECT to_regclass('migrations') IS NOT NULL AS present`,
  );
  if (!found!.present) return;
  const known = MIGRATIONS.map((migration) => migration.name);
  const newer = await rowsOf<{ name: string }>(database, 'SELECT name FROM migrations WHERE NOT name = ANY($1)', [
    known,
  ]);
  if (newer.length > 0) {
    throw new Error(
      `This database was migrated by a newer Avendel (${newer.map((row) => row.name).join(', ')}). Start that version, or restore a backup.`,
    );
  }
}

/**
 * Runs `work` in one transaction; TypeORM's manager is what statements take as their first argument. Two that wait for
 * each other in a circle (SQLSTATE 40P01), or could not be put one after the other (40001): the one that PostgreSQL
 * ends is run again. So `work` does nothing outside the database that could not be done twice.
 *  The one order in which locks are taken, everywhere: `mailed` by contact and brand; keys of events; activity by
 * contact and brand; events; contacts by number; deliveries by campaign and contact; where contacts stand on ladders;
 * subscriptions; entries; sign-ups. Within each in rising order, and whoever records an event does so before anything
 * else but `mailed`. What cannot keep to it relies on being run again.
 */
export function inTransaction<T>(
  database: Database,
  work: (sql: EntityManager) => Promise<T>,
  sees: Sees = 'READ COMMITTED',
): Promise<T> {
  return tried(() => forAccount(database, sees, work), isLostRace);
}

function forAccount<T>(database: Database, sees: Sees, work: (sql: EntityManager) => Promise<T>): Promise<T> {
  return database.transaction(sees, async (sql) => {
    await tellAccount(database, sql);
    return work(sql);
  });
}

/** Whether each statement sees what is committed by then, or all of them one instant. */
export type Sees = 'READ COMMITTED' | 'REPEATABLE READ';

/** The same, run again also when somebody else wrote the same key (SQLSTATE 23505), which a second look settles. */
export function inRetriedTransaction<T>(database: Database, work: (sql: EntityManager) => Promise<T>): Promise<T> {
  return tried(
    () => forAccount(database, 'READ COMMITTED', work),
    (error) => isLostRace(error) || isRepeatedKey(error),
  );
}

function isLostRace(error: unknown): boolean {
  return ['40P01', '40001'].includes(sqlState(error) ?? '');
}

/** So often one is run again; each waits a little longer before, and not all as long. */
const AGAIN = { retries: 7, minTimeout: 10, factor: 2, randomize: true };

function tried<T>(work: () => Promise<T>, again: (error: unknown) => boolean): Promise<T> {
  return pRetry(work, { ...AGAIN, shouldRetry: ({ error }) => again(error) });
}

/**
 * Runs reading or writing of a whole set (an audience, a ladder) in one transaction, without nested loops: PostgreSQL
 * knows nothing yet of a list that was just filled, expects one row, and would compare each with each (4,000 contacts
 * against 50,000 entries took over a minute; hashed, 0.1 s). Hash tables get room to stay in memory: with the server's
 * default of 4 MB, joining 200,000 contacts goes through files. Work that goes on for long once its set is worked out,
 * at the pace of whoever takes the answer, calls `next` to let another begin.
 */
export async function overWholeSet<T>(
  database: Database,
  work: (sql: EntityManager, next: () => void) => Promise<T>,
  sees: Sees = 'READ COMMITTED',
): Promise<T> {
  // Released twice is released once.
  const [, release] = await turnsOf(database).acquire();
  try {
    return await forAccount(database, sees, async (sql) => {
      await execute(
        sql,
        `SET LOCAL enable_nestloop = off; SET LOCAL work_mem = '${WHOLE_SET_MEMORY}'; SET LOCAL parallel_tuple_cost = 0.01`,
      );
      return work(sql, release);
    });
  } finally {
    release();
  }
}

/**
 * So many whole sets are worked over at once by a process; further ones wait without a connection. Each may take all
 * processors and several times the memory above, and the pool's other connections are for what a stranger waits for.
 */
const turnsOf = makeTurns(4);

/**
 * Runs a prepared statement over a few rows in one transaction: planned once a connection, and always by index. Left to
 * itself PostgreSQL plans the gate anew each time (8 ms for 2 ms of work), and a plan made while a table was small
 * would go on reading all of it when it is large.
 */
export function overFewRows<T>(database: Database, work: (sql: EntityManager) => Promise<T>): Promise<T> {
  return inRetriedTransaction(database, async (sql) => {
    await execute(sql, `SET LOCAL plan_cache_mode = force_generic_plan; ${otherThanByIndex('off')}`);
    return work(sql);
  });
}

/**
 * Has a transaction look contacts up by index whatever their number. A base of one page would be read through for each
 * of 20,000 rows, which is nothing until others fill it meanwhile: then each row reads through theirs, and a chunk of
 * an import that takes 0.3 s took over 35. What the statement keeps between its parts stays in memory.
 */
export async function lookUpByIndex(sql: Sql): Promise<void> {
  await execute(sql, `SET LOCAL enable_seqscan = off; SET LOCAL work_mem = '${CHUNK_MEMORY}'`);
}

/**
 * The same for a chunk of rows: 20,000 contacts are under 8 MB, and the server's default of 4 MB puts them into files.
 */
const CHUNK_MEMORY = '24MB';

/** Memory a hash or sort of a statement over a whole set may take in the PostgreSQL server. */
const WHOLE_SET_MEMORY = '64MB';

/**
 * Runs a statement that looks each of its rows up in tables of any size, by their indexes alone. What an import has
 * just written has no statistics yet: an anti-join that the planner took for one of a few rows read through 20,000 for
 * each of 20,000, and undoing that import took 70 s. Nor does it know how few contacts of a set a piece has: to undo
 * 10,000 tags it read the whole journal, for 2.8 s. What it joins of its own rows it must join by none of their
 * numbers.
 */
export async function byIndexAlone<T>(sql: Sql, work: () => Promise<T>): Promise<T> {
  await execute(sql, otherThanByIndex('off'));
  const done = await work();
  await execute(sql, otherThanByIndex('on'));
  return done;
}

/** Whether a plan may do otherwise than look row after row up in indexes. */
const otherThanByIndex = (allowed: 'on' | 'off'): string =>
  `SET LOCAL enable_seqscan = ${allowed}; SET LOCAL enable_hashjoin = ${allowed}; SET LOCAL enable_mergejoin = ${allowed}`;

/** Lets what follows in a transaction of overWholeSet be planned as any other. */
export async function byAnyPlan(sql: Sql): Promise<void> {
  await execute(sql, 'SET LOCAL enable_nestloop = on');
}

/** As TypeORM hands an error on, or as the driver throws it for a prepared statement. */
function sqlState(error: unknown): string | undefined {
  const { driverError, code } = error as { driverError?: { code?: string }; code?: string };
  return driverError?.code ?? code;
}

/** Whether an error is PostgreSQL's refusal of a key that is there already (SQLSTATE 23505). */
export function isRepeatedKey(error: unknown): boolean {
  return sqlState(error) === '23505';
}

/** Whether PostgreSQL stopped a statement because it took too long (SQLSTATE 57014). */
export function isStopped(error: unknown): boolean {
  return sqlState(error) === '57014';
}

/** Whether an error is PostgreSQL's violation of the named constraint or index (SQLSTATE 23505 and its kin). */
export function violates(error: unknown, constraint: string): boolean {
  const driver = (error as { driverError?: { constraint?: string } }).driverError;
  return driver?.constraint === constraint;
}
