import type { MigrationInterface, QueryRunner } from 'typeorm';

/** A reconciled row without a contact is never looked for by one. */
export class LeanerIndexes1790000000012 implements MigrationInterface {
  name = 'LeanerIndexes1790000000012';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
DROP INDEX reconciliation_row_by_contact;
CREATE INDEX reconciliation_row_by_contact ON reconciliation_row (reconciliation_id, contact_id) WHERE contact_id IS NOT NULL`);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
