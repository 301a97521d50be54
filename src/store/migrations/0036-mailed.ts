import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Which messages of a brand reached each contact, in one row: what was sent before is taken in beside the service. */
export class Mailed1790000000036 implements MigrationInterface {
  name = 'Mailed1790000000036';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
CREATE TABLE mailed (
  contact_id bigint NOT NULL,
  brand_id int NOT NULL,
  -- Marketing messages that reached the contact, ever: accepted, or on their way, and not bounced.
  ever int NOT NULL DEFAULT 0,
  -- The last 32 of them, in order of the instant at which they were handed over.
  campaigns int[] NOT NULL DEFAULT '{}',
  at timestamptz[] NOT NULL DEFAULT '{}',
  -- The last 32 that were handed over and bounced, or of which nobody knows whether they were accepted.
  lost_campaigns int[] NOT NULL DEFAULT '{}',
  lost_at timestamptz[] NOT NULL DEFAULT '{}',
  PRIMARY KEY (contact_id, brand_id)
) WITH (fillfactor = 70);
-- What was stored before a version kept it otherwise, and how far that has come.
CREATE TABLE catching_up (
  what text PRIMARY KEY,
  upto bigint NOT NULL DEFAULT 0,
  whole bigint NOT NULL,
  finished_at timestamptz
);
INSERT INTO catching_up (what, whole, finished_at)
SELECT 'mailed', coalesce(max(contact_id), 0), CASE WHEN count(*) = 0 AND NOT EXISTS (SELECT FROM service_process) THEN now() END
FROM (SELECT contact_id FROM delivery ORDER BY contact_id DESC LIMIT 1) d;
-- What a process keeps of the above. One of an older version keeps nothing.
ALTER TABLE service_process ADD COLUMN keeps text[] NOT NULL DEFAULT '{}';`);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
