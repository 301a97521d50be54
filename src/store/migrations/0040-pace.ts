import type { MigrationInterface, QueryRunner } from 'typeorm';

/** How fast messages go, whom a domain holds up, and what stops a domain or a campaign. */
export class Pace1790000000040 implements MigrationInterface {
  name = 'Pace1790000000040';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
ALTER TABLE campaign
  ADD COLUMN pace jsonb,
  -- Paused only because nobody is left but who waits at domains that are stopped.
  ADD COLUMN paused_for_domains boolean NOT NULL DEFAULT false;
ALTER TABLE delivery
  -- Waits apart, out of the way of the others, until not_before: for its receiving domain to have room, or, as '', for
  -- its time alone.
  ADD COLUMN parked text,
  -- When the recipient's own server was first asked.
  ADD COLUMN first_tried_at timestamptz,
  -- Of those that are stored nobody is: they need not be gone through.
  ADD CONSTRAINT delivery_parked_waits CHECK (parked IS NULL OR state = 'queued') NOT VALID;
DROP INDEX delivery_waiting;
CREATE INDEX delivery_waiting ON delivery (campaign_id, wave, contact_id) WHERE state = 'queued' AND parked IS NULL;
CREATE INDEX delivery_parked ON delivery (campaign_id, parked, not_before) WHERE parked IS NOT NULL;
-- The pace of a campaign (domain '') and of the receiving domains that have one, put something off, or are stopped.
CREATE TABLE campaign_pace (
  campaign_id int NOT NULL REFERENCES campaign ON DELETE CASCADE,
  domain text COLLATE "C" NOT NULL,
  -- The settings: messages an hour, and how many may be on their way at once.
  per_hour float8,
  connections int,
  -- Messages an hour now, and to what it rises again.
  rate float8,
  base float8,
  tokens float8 NOT NULL DEFAULT 0,
  tokens_at timestamptz NOT NULL DEFAULT now(),
  quiet_since timestamptz NOT NULL DEFAULT now(),
  recent jsonb NOT NULL DEFAULT '[]',
  put_off int NOT NULL DEFAULT 0,
  -- Somebody is parked under it.
  parks boolean NOT NULL DEFAULT false,
  stopped_at timestamptz,
  stopped_by text,
  stopped_because text,
  called_off boolean NOT NULL DEFAULT false,
  PRIMARY KEY (campaign_id, domain)
) WITH (fillfactor = 70);
-- Which figure of what passed which limit, and who went on, and why.
CREATE TABLE campaign_brake (
  id int GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  campaign_id int NOT NULL REFERENCES campaign ON DELETE CASCADE,
  -- 'campaign', 'wave 2', 'domain hearthmail.example'
  slice text NOT NULL,
  figure text NOT NULL CHECK (figure IN ('hard', 'block', 'complaints', 'unsubscribed')),
  events int NOT NULL,
  of int NOT NULL,
  limit_rate float8 NOT NULL,
  -- What servers said most, and where the permission of those behind it came from.
  said jsonb NOT NULL,
  sources jsonb NOT NULL,
  at timestamptz NOT NULL DEFAULT now(),
  -- After the last message: nothing was left to stop.
  warned boolean NOT NULL DEFAULT false,
  released_at timestamptz,
  released_by text,
  reason text,
  -- The figures of each slice when somebody went on: only messages accepted since count.
  before jsonb
);
CREATE UNIQUE INDEX campaign_brake_on ON campaign_brake (campaign_id, slice) WHERE released_at IS NULL;`);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
