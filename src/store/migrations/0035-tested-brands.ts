import type { MigrationInterface, QueryRunner } from 'typeorm';

/** A brand knows when the relay last took a test message of its own. */
export class TestedBrands1790000000035 implements MigrationInterface {
  name = 'TestedBrands1790000000035';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE brand ADD COLUMN tested_at timestamptz');
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
