/** What migrations of the tallies share. */

/** An act on the ledger, after which the tallies are changed. */
export type Act = 'insert' | 'update' | 'delete';

/** The rows that an act changes, as its trigger names them, with their sign. */
const CHANGED: Record<Act, string> = {
  insert: '(SELECT *, 1 AS sign FROM now_so)',
  update: '(SELECT *, 1 AS sign FROM now_so UNION ALL SELECT *, -1 AS sign FROM was_so)',
  delete: '(SELECT *, -1 AS sign FROM was_so)',
};

/** Every act with the tables by which its trigger names what it changes. */
export const ACTS: Record<Act, string> = {
  insert: 'NEW TABLE AS now_so',
  update: 'OLD TABLE AS was_so NEW TABLE AS now_so',
  delete: 'OLD TABLE AS was_so',
};

const COUNTED_UNDER = 'campaign_id, wave, day, domain, source, list_id, stage';

/** The figures that rows of deliveries (with a `sign`) stand in: their state, and what came of them. */
export const figuresOf = (rows: string, heldBack: string): string => `
  SELECT r.campaign_id, r.wave, CASE WHEN s.sent THEN r.day END AS day, CASE WHEN s.sent THEN r.domain END AS domain, CASE WHEN s.sent THEN r.source END AS source,
    CASE WHEN s.sent THEN r.list_id END AS list_id, CASE WHEN s.sent THEN r.stage END AS stage,
    CASE WHEN r.state = 'held-back' THEN ${heldBack} ELSE r.state END AS figure, 0::smallint AS hours, r.sign
  FROM ${rows} r CROSS JOIN LATERAL (SELECT r.state IN ('accepted', 'refused', 'uncertain') AS sent) s WHERE r.tallied
  UNION ALL
  SELECT r.campaign_id, r.wave, r.day, r.domain, r.source, r.list_id, r.stage,
    f.figure, coalesce(least(720, greatest(0, floor(extract(epoch FROM f.at - r.accepted_at) / 3600))), 0)::smallint, r.sign
  FROM ${rows} r CROSS JOIN LATERAL (VALUES
    ('opened', r.opened_at), ('opened any', r.opened_any_at), ('clicked', r.clicked_at), ('clicked any', r.clicked_any_at),
    ('complained', r.complained_at), ('unsubscribed', r.unsubscribed_at),
    (CASE WHEN r.state = 'refused' THEN 'refused hard' ELSE 'bounced hard' END, r.hard_at),
    (CASE WHEN r.state = 'refused' THEN 'refused soft' ELSE 'bounced soft' END, r.soft_at),
    (CASE WHEN r.state = 'refused' THEN 'refused block' ELSE 'bounced block' END, r.block_at),
    (CASE WHEN r.state = 'refused' THEN 'refused any' ELSE 'bounced any' END, least(r.hard_at, r.soft_at, r.block_at))) f (figure, at)
  WHERE r.tallied AND f.at IS NOT NULL AND coalesce(r.opened_any_at, r.clicked_any_at, r.complained_at, r.unsubscribed_at, r.hard_at, r.soft_at, r.block_at) IS NOT NULL`;

/** The function of a trigger on an act, which writes what it changes of the tallies. */
export const tallyFunction = (act: Act, heldBack: string): string => `
CREATE OR REPLACE FUNCTION tally_${act}() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  INSERT INTO tally_change (${COUNTED_UNDER}, figure, hours, n)
  SELECT ${COUNTED_UNDER}, figure, hours, sum(sign)::int FROM (${figuresOf(CHANGED[act], heldBack)}) f
  GROUP BY ${COUNTED_UNDER}, figure, hours HAVING sum(sign) <> 0;
  RETURN NULL;
END $$;`;
