import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Tries of any kind are counted by the hour: sign-ups, and passwords. */
export class Tries1790000000016 implements MigrationInterface {
  name = 'Tries1790000000016';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE sign_up_rate RENAME TO tries_in_hour');
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
