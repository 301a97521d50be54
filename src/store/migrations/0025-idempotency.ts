import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * A request under a key is one process's until it has answered. What was kept before may hold what was typed or
 * answered on routes of secrets: it is forgotten.
 */
export class Idempotency1790000000025 implements MigrationInterface {
  name = 'Idempotency1790000000025';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
DELETE FROM idempotency;
ALTER TABLE idempotency
  ADD COLUMN process_id uuid,
  -- digest of a file that was sent, known once it has been read
  ADD COLUMN file_hash bytea;
CREATE INDEX idempotency_by_age ON idempotency (created_at);`);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
