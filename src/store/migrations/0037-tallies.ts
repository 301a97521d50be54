import type { MigrationInterface, QueryRunner } from 'typeorm';
import { ACTS, figuresOf, tallyFunction, type Act } from './tally-figures.ts';

/**
 * Tallies: what pages show of sending is counted when it is recorded. What a message is counted under is fixed on its
 * delivery; triggers make every change of the ledger a change of the tallies, whichever statement makes it.
 */
export class Tallies1790000000037 implements MigrationInterface {
  name = 'Tallies1790000000037';

  async up(runner: QueryRunner): Promise<void> {
    for (const part of [DOMAINS, DELIVERY, TALLIES, TRIGGERS, READING, CATCHING_UP]) await runner.query(part);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}

// Before anything of the ledger is locked: it goes through all contacts.
const DOMAINS = `
-- Receiving domains that are counted by their names; once named, always.
CREATE TABLE receiving_domain (domain text PRIMARY KEY);
INSERT INTO receiving_domain
SELECT domain FROM (SELECT split_part(address, '@', 2) AS domain, count(*) AS contacts FROM contact WHERE erased_at IS NULL GROUP BY 1 ORDER BY 2 DESC, 1) d
WHERE contacts >= 200 UNION
(SELECT split_part(address, '@', 2) FROM contact WHERE erased_at IS NULL GROUP BY 1 ORDER BY count(*) DESC, 1 LIMIT 50);
`;

const DELIVERY = `
ALTER TABLE delivery
  -- Whether it stands in the tallies. What was stored before is taken in beside the service.
  ADD COLUMN tallied boolean NOT NULL DEFAULT false,
  -- What it is counted under, fixed when it is sent: the day of sending in the brand's zone; the receiving domain, or
  -- 'other' where few have it; the source and the list of the latest permission; the stage on the brand's ladder.
  ADD COLUMN wave smallint NOT NULL DEFAULT 1,
  ADD COLUMN day date,
  ADD COLUMN domain text,
  ADD COLUMN source text,
  ADD COLUMN list_id int,
  ADD COLUMN stage text,
  -- When the contact first did so: a person, or anyone.
  ADD COLUMN opened_at timestamptz,
  ADD COLUMN opened_any_at timestamptz,
  ADD COLUMN clicked_at timestamptz,
  ADD COLUMN clicked_any_at timestamptz,
  ADD COLUMN complained_at timestamptz,
  ADD COLUMN unsubscribed_at timestamptz,
  -- When it first bounced so.
  ADD COLUMN hard_at timestamptz,
  ADD COLUMN soft_at timestamptz,
  ADD COLUMN block_at timestamptz;
ALTER TABLE delivery ALTER tallied SET DEFAULT true;
`;

const TALLIES = `
-- Contacts of a campaign by wave and figure; of what they did, by whole hours since their message was accepted.
CREATE TABLE campaign_tally (
  campaign_id int NOT NULL,
  wave smallint NOT NULL,
  figure text NOT NULL,
  hours smallint NOT NULL,
  n int NOT NULL,
  PRIMARY KEY (campaign_id, wave, figure, hours)
) WITH (fillfactor = 70);
CREATE TABLE campaign_domain_tally (
  campaign_id int NOT NULL,
  domain text NOT NULL,
  figure text NOT NULL,
  n int NOT NULL,
  PRIMARY KEY (campaign_id, domain, figure)
) WITH (fillfactor = 70);
-- Messages of a brand by the day of sending and one thing more, or two.
CREATE TABLE day_tally (
  brand_id int NOT NULL,
  day date NOT NULL,
  counted_by text NOT NULL CHECK (counted_by IN ('all', 'domain', 'source', 'list', 'stage', 'source and domain', 'source and stage')),
  one text NOT NULL,
  two text NOT NULL,
  figure text NOT NULL,
  n int NOT NULL,
  PRIMARY KEY (brand_id, counted_by, day, one, two, figure)
) WITH (fillfactor = 70);
-- What has changed since the tallies were last folded: rows that nobody shares, so that nobody waits.
CREATE TABLE tally_change (
  campaign_id int NOT NULL,
  wave smallint NOT NULL,
  day date,
  domain text,
  source text,
  list_id int,
  stage text,
  figure text NOT NULL,
  hours smallint NOT NULL,
  n int NOT NULL
) WITH (autovacuum_vacuum_scale_factor = 0, autovacuum_vacuum_threshold = 20000, autovacuum_analyze_threshold = 2000000000);
`;

const HELD_BACK = `'held-back ' || r.reasons[1]`;

const TRIGGERS = Object.entries(ACTS)
  .map(
    ([act, tables]) => `${tallyFunction(act as Act, HELD_BACK)}
CREATE TRIGGER delivery_tally_${act} AFTER ${act} ON delivery REFERENCING ${tables} FOR EACH STATEMENT EXECUTE FUNCTION tally_${act}();`,
  )
  .join('');

const READING = `
-- The tallies with what is not folded yet: exact at any moment.
CREATE VIEW campaign_figure AS
  SELECT campaign_id, wave, figure, hours, n FROM campaign_tally UNION ALL SELECT campaign_id, wave, figure, hours, n FROM tally_change;
CREATE VIEW campaign_domain_figure AS
  SELECT campaign_id, domain, figure, n FROM campaign_domain_tally UNION ALL SELECT campaign_id, domain, figure, n FROM tally_change WHERE domain IS NOT NULL;
-- Each thing and pair of things by which a message is counted.
CREATE FUNCTION counted_under(domain text, source text, list_id int, stage text) RETURNS TABLE (counted_by text, one text, two text) LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$
  SELECT b.* FROM (VALUES ('all', '', ''), ('domain', $1, ''), ('source', $2, ''), ('list', $3::text, ''), ('stage', $4, ''),
    ('source and domain', $2, $1), ('source and stage', $2, $4)) b (counted_by, one, two) WHERE b.one IS NOT NULL AND b.two IS NOT NULL
$$;
CREATE VIEW tally_change_by_day AS
  SELECT k.brand_id, c.day, b.counted_by, b.one, b.two, c.figure, c.n
  FROM tally_change c JOIN campaign k ON k.id = c.campaign_id CROSS JOIN LATERAL counted_under(c.domain, c.source, c.list_id, c.stage) b WHERE c.day IS NOT NULL;
CREATE VIEW day_figure AS
  SELECT brand_id, day, counted_by, one, two, figure, n FROM day_tally UNION ALL SELECT brand_id, day, counted_by, one, two, figure, n FROM tally_change_by_day;
-- What the ledger itself says, for comparing.
CREATE VIEW delivery_figure AS ${figuresOf('(SELECT *, 1 AS sign FROM delivery)', HELD_BACK)};
`;

const CATCHING_UP = `
INSERT INTO catching_up (what, whole, finished_at) SELECT 'tallies', whole, finished_at FROM catching_up WHERE what = 'mailed';
`;
