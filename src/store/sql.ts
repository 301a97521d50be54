import type { EntityManager } from 'typeorm';

/** Anything that runs SQL: the data source itself, or a manager inside a transaction. */
export type Sql = Pick<EntityManager, 'query' | 'getRepository'>;

/** The same, or a connection of its own. */
interface Runner {
  query(text: string, parameters?: unknown[]): Promise<unknown>;
}

/** What TypeORM hands on: rows of a SELECT or INSERT, or rows and their number of an UPDATE or DELETE. */
type Answer = unknown[] | [unknown[], number];

const isChange = (answer: Answer): answer is [unknown[], number] =>
  answer.length === 2 && Array.isArray(answer[0]) && typeof answer[1] === 'number';

/**
 * Runs a statement of any kind and gives its rows, those of RETURNING among them. `T` is what its columns are: nothing
 * checks them against it but the tests. Counts and `bigint` are text unless cast.
 * @throws TypeORM's QueryFailedError, whose `driverError` has the SQLSTATE
 */
export async function rowsOf<T>(sql: Runner, text: string, parameters?: unknown[]): Promise<T[]> {
  const answer = (await sql.query(text, parameters)) as Answer;
  return (isChange(answer) ? answer[0] : answer) as T[];
}

/**
 * Runs an UPDATE or DELETE and gives the number of rows it changed.
 * @throws Error when the statement is another, whose rows nobody has counted
 */
export async function changedBy(sql: Runner, text: string, parameters?: unknown[]): Promise<number> {
  const answer = (await sql.query(text, parameters)) as Answer;
  if (!isChange(answer)) throw new Error('Only an UPDATE or DELETE says how many rows it changed.');
  return answer[1];
}

/** Runs a statement of which nothing is asked, or several that have no parameters. */
export async function execute(sql: Runner, text: string, parameters?: unknown[]): Promise<void> {
  await sql.query(text, parameters);
}
