import { rowsOf, type Sql } from '../sql.ts';

/** Totals of activity by kind of event: one scan of one row a contact instead of one of all events. */
export async function countEventKinds(sql: Sql): Promise<Record<string, number>> {
  const [row] = await rowsOf<Record<string, string>>(
    sql,
    `SELECT coalesce(sum(sent), 0) AS sent, coalesce(sum(bounced_hard + bounced_soft + bounced_block), 0) AS bounced, coalesce(sum(opened_any), 0) AS opened,
       coalesce(sum(clicked_any), 0) AS clicked, coalesce(sum(complained), 0) AS complained, coalesce(sum(unsubscribed), 0) AS unsubscribed FROM activity`,
  );
  return Object.fromEntries(Object.entries(row!).map(([kind, total]) => [kind, Number(total)]));
}
