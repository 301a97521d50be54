import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Settings that people change while the service runs. */
export class Settings1790000000004 implements MigrationInterface {
  name = 'Settings1790000000004';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
CREATE TABLE setting (
  name text PRIMARY KEY,
  value jsonb NOT NULL,
  changed_at timestamptz NOT NULL DEFAULT now(),
  changed_by text NOT NULL
)`);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
