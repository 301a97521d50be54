import type { MigrationInterface, QueryRunner } from 'typeorm';

/** A reconciled list keeps the other columns of the file that was given. */
export class ColumnsOfLists1790000000030 implements MigrationInterface {
  name = 'ColumnsOfLists1790000000030';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
ALTER TABLE reconciliation ADD COLUMN columns text[] NOT NULL DEFAULT '{}';
-- The other cells of each row, parted by the unit separator (U+001F); as a whole null where no row has any.
ALTER TABLE reconciliation_chunk ADD COLUMN others text[];
DO $$ BEGIN
  ALTER TABLE reconciliation_chunk ALTER COLUMN others SET COMPRESSION lz4;
EXCEPTION WHEN feature_not_supported THEN NULL;
END $$;
-- Beside reconciliation_row: most who read that have no use for them.
CREATE VIEW reconciliation_other AS
SELECT k.reconciliation_id, k.first_row, (k.first_row + u.n - 1)::int AS row_no, u.others
FROM reconciliation_chunk k, unnest(k.others) WITH ORDINALITY u (others, n);`);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
