import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * Runs over many are worked through piece by piece: what is to be done stands in the run, whom it concerns in a table
 * of its own until the run has ended. What an undo left alone is kept, and no longer worked out anew by whoever asks.
 */
export class RunsInPieces1790000000021 implements MigrationInterface {
  name = 'RunsInPieces1790000000021';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
ALTER TABLE run
  -- what is still to be done; null once the run has ended, and for what is done in one transaction
  ADD COLUMN work jsonb,
  -- everybody up to this target has been dealt with
  ADD COLUMN after_target bigint,
  ADD COLUMN done int NOT NULL DEFAULT 0,
  ADD COLUMN whole int NOT NULL DEFAULT 0,
  -- why it ended, or is to end, before its end
  ADD COLUMN stopped text;
CREATE INDEX run_open ON run (id) WHERE work IS NOT NULL;
CREATE TABLE run_target (
  run_id int NOT NULL,
  -- a contact; below zero, an entry that belongs to none
  target bigint NOT NULL,
  PRIMARY KEY (run_id, target)
);
CREATE TABLE run_left (
  run_id int NOT NULL,
  number bigint GENERATED ALWAYS AS IDENTITY,
  journal_id bigint NOT NULL,
  -- of a journal row that speaks of many, whom it is about
  contact_id bigint,
  PRIMARY KEY (run_id, number)
);`);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
