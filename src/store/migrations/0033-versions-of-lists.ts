import type { MigrationInterface, QueryRunner } from 'typeorm';

/** A list has a version, as drafts, segments and rules have: whoever changes an older one is told. */
export class VersionsOfLists1790000000033 implements MigrationInterface {
  name = 'VersionsOfLists1790000000033';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE list ADD COLUMN version integer NOT NULL DEFAULT 1');
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
