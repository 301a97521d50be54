/** What holds recipients back, by its names: of campaigns that fill a cap, and of what leaves people out. */
import type { CappedBy, LeftOutBy } from '../../shared/contract/held-by.ts';
import type { WithDates } from '../with-dates.ts';
import { rowsOf, type Sql } from '../sql.ts';
import type { CappedByRow } from './capped.ts';

export type CappedByNamed = Omit<CappedBy, 'by'> & { by: WithDates<CappedBy['by'][number], 'at'>[] };

/** Gives each row of a page the names of the campaigns that fill the cap which holds it back. */
export async function nameCapped<T extends { cappedBy: CappedByRow | null }>(
  sql: Sql,
  rows: T[],
): Promise<(Omit<T, 'cappedBy'> & { cappedBy: CappedByNamed | null })[]> {
  const ids = new Set(rows.flatMap(({ cappedBy }) => cappedBy?.by.map(({ campaignId }) => campaignId) ?? []));
  const found =
    ids.size === 0
      ? []
      : await rowsOf<{ id: number; name: string }>(sql, 'SELECT id, name FROM campaign WHERE id = ANY ($1::int[])', [
          [...ids],
        ]);
  const names = new Map(found.map(({ id, name }) => [id, name]));
  return rows.map((row) => ({
    ...row,
    cappedBy: row.cappedBy && {
      ...row.cappedBy,
      by: row.cappedBy.by.map(({ campaignId, at }) => ({
        campaignId,
        name: names.get(campaignId) ?? `campaign ${campaignId}`,
        at: new Date(at),
      })),
    },
  }));
}

const KINDS = { list: 'list', segment: 'segment', exclusion: 'exclusion' } as const;

/** What leaves people out, by the words in which the ledger writes it: `exclusion 5`. What is gone is still said. */
export async function nameLeftOutBy(sql: Sql, keys: Iterable<string>): Promise<Map<string, LeftOutBy>> {
  const named = new Map<string, LeftOutBy>();
  for (const key of keys) {
    const [kind, id] = key.split(' ') as [LeftOutBy['kind'], string];
    if (kind in KINDS) named.set(key, { kind, id: Number(id), name: `${key}, which is no more` });
  }
  for (const kind of Object.values(KINDS)) {
    const ids = [...named.values()].filter((one) => one.kind === kind).map(({ id }) => id);
    if (ids.length === 0) continue;
    const rows = await rowsOf<{ id: number; name: string }>(
      sql,
      `SELECT id, name FROM ${kind} WHERE id = ANY ($1::int[])`,
      [ids],
    );
    for (const { id, name } of rows) named.set(`${kind} ${id}`, { kind, id, name });
  }
  return named;
}
