import type { MigrationInterface, QueryRunner } from 'typeorm';
import { ACTS, figuresOf, tallyFunction, type Act } from './tally-figures.ts';

/** How often one contact is written to at most, and whom every marketing message leaves out. */
export class Caps1790000000038 implements MigrationInterface {
  name = 'Caps1790000000038';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
-- At most so many marketing messages in so many days. None is ever deleted: a change ends one and begins another.
CREATE TABLE cap (
  id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  -- NULL: of the whole organisation.
  brand_id int REFERENCES brand,
  messages smallint NOT NULL CHECK (messages BETWEEN 1 AND 32),
  days smallint NOT NULL CHECK (days BETWEEN 1 AND 366),
  begun_by text NOT NULL,
  begun_at timestamptz NOT NULL DEFAULT now(),
  ended_by text,
  ended_at timestamptz
);
CREATE UNIQUE INDEX cap_key ON cap (coalesce(brand_id, 0), days) WHERE ended_at IS NULL;
-- Whom every marketing message leaves out: those on a list, in a segment, or whom a condition matches.
CREATE TABLE exclusion (
  id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  brand_id int REFERENCES brand,
  name text NOT NULL,
  list_id int REFERENCES list,
  segment_id int,
  condition text,
  reason text NOT NULL,
  begun_by text NOT NULL,
  begun_at timestamptz NOT NULL DEFAULT now(),
  ended_by text,
  ended_at timestamptz,
  ended_because text,
  CHECK (num_nonnulls(list_id, segment_id, condition) = 1)
);
CREATE UNIQUE INDEX exclusion_key ON exclusion (coalesce(brand_id, 0), name) WHERE ended_at IS NULL;
-- Campaigns that set one aside, by name and with a reason.
CREATE TABLE set_aside (
  campaign_id int NOT NULL REFERENCES campaign ON DELETE CASCADE,
  exclusion_id int NOT NULL REFERENCES exclusion,
  reason text NOT NULL,
  set_by text NOT NULL,
  set_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (campaign_id, exclusion_id)
);
ALTER TABLE campaign
  -- Of two that compete for one contact's last place the one with the lower number gets it.
  ADD COLUMN priority smallint NOT NULL DEFAULT 3 CHECK (priority BETWEEN 1 AND 5),
  -- Nobody gets it who had a message in so many days.
  ADD COLUMN rest_days smallint CHECK (rest_days BETWEEN 1 AND 366);
ALTER TABLE delivery
  -- The cap that holds it back, and the messages that fill it.
  ADD COLUMN capped_by jsonb,
  -- What leaves it out: 'list 3', 'segment 4' or 'exclusion 5'.
  ADD COLUMN left_out_by text,
  -- Since when it waits for a campaign that comes first.
  ADD COLUMN yielding_since timestamptz;`);
    for (const act of Object.keys(ACTS) as Act[]) await runner.query(tallyFunction(act, HELD_BACK));
    await runner.query(
      `CREATE OR REPLACE VIEW delivery_figure AS ${figuresOf('(SELECT *, 1 AS sign FROM delivery)', HELD_BACK)}`,
    );
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}

/** Whoever is left out is counted by what leaves them out. */
const HELD_BACK = `'held-back ' || r.reasons[1] || CASE WHEN r.reasons[1] = 'left-out' AND r.left_out_by IS NOT NULL THEN ' ' || r.left_out_by ELSE '' END`;
