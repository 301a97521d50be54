import type { MigrationInterface, QueryRunner } from 'typeorm';

/** When a campaign begins, when it rests, and in which parts it goes. */
export class Schedule1790000000039 implements MigrationInterface {
  name = 'Schedule1790000000039';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
ALTER TABLE campaign DROP CONSTRAINT campaign_state_check;
ALTER TABLE campaign
  ADD CONSTRAINT campaign_state_check CHECK (state IN ('draft', 'scheduled', 'sending', 'resting', 'paused', 'finished', 'cancelled')),
  -- When it is to start; how many the person saw who said so, and by how much that may have moved.
  ADD COLUMN starts_at timestamptz,
  ADD COLUMN expected int,
  ADD COLUMN tolerance real NOT NULL DEFAULT 0.1,
  -- Days and hours in which messages leave, in the brand's zone; NULL: always.
  ADD COLUMN send_window jsonb,
  -- Its parts, in order; NULL: everybody at once.
  ADD COLUMN waves jsonb,
  -- The last wave that has begun.
  ADD COLUMN wave smallint NOT NULL DEFAULT 1,
  -- While it rests.
  ADD COLUMN rests_until timestamptz;
CREATE TABLE campaign_wave (
  campaign_id int NOT NULL REFERENCES campaign ON DELETE CASCADE,
  wave smallint NOT NULL,
  begins_at timestamptz,
  begun_at timestamptz,
  begun_by text,
  begun_because text,
  -- Its time had come, and its test did not hold.
  held_at timestamptz,
  held_because text,
  PRIMARY KEY (campaign_id, wave)
);
DROP INDEX delivery_waiting;
CREATE INDEX delivery_waiting ON delivery (campaign_id, wave, contact_id) WHERE state = 'queued';`);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
