import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * Reconciled lists are kept some thousand rows in one, compressed, without an index entry for each. The rows are a
 * view. What they come to is kept, and not counted each time it is shown.
 */
export class CompactReconciliations1790000000019 implements MigrationInterface {
  name = 'CompactReconciliations1790000000019';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(UP);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}

const UP = `
ALTER TABLE reconciliation ADD COLUMN known int NOT NULL DEFAULT 0, ADD COLUMN contacts int NOT NULL DEFAULT 0;
UPDATE reconciliation o SET known = n.known, contacts = n.contacts FROM (
  SELECT reconciliation_id, count(contact_id) AS known, count(DISTINCT contact_id) AS contacts FROM reconciliation_row GROUP BY 1) n
WHERE o.id = n.reconciliation_id;
CREATE TABLE reconciliation_chunk (
  reconciliation_id int NOT NULL REFERENCES reconciliation ON DELETE CASCADE,
  first_row int NOT NULL,
  rows int NOT NULL,
  unreadable int NOT NULL,
  -- Null where a row was given as its address; as a whole, where all were.
  given text[],
  addresses text[] COLLATE "C" NOT NULL,
  -- As a whole null where there is none.
  hashes text[] COLLATE "C",
  contact_ids bigint[] NOT NULL,
  PRIMARY KEY (reconciliation_id, first_row)
);
DO $$ BEGIN
  ALTER TABLE reconciliation_chunk ALTER COLUMN given SET COMPRESSION lz4, ALTER COLUMN addresses SET COMPRESSION lz4,
    ALTER COLUMN hashes SET COMPRESSION lz4, ALTER COLUMN contact_ids SET COMPRESSION lz4;
EXCEPTION WHEN feature_not_supported THEN NULL;
END $$;
INSERT INTO reconciliation_chunk (reconciliation_id, first_row, rows, unreadable, given, addresses, hashes, contact_ids)
SELECT reconciliation_id, (row_no - 1) / 10000 * 10000 + 1, count(*), count(*) FILTER (WHERE address IS NULL AND hash IS NULL),
  array_agg(CASE WHEN given IS DISTINCT FROM address THEN given END ORDER BY row_no), array_agg(address ORDER BY row_no),
  array_agg(hash ORDER BY row_no), array_agg(contact_id ORDER BY row_no)
FROM reconciliation_row GROUP BY 1, 2;
DROP TABLE reconciliation_row;
CREATE VIEW reconciliation_row AS
SELECT k.reconciliation_id, k.first_row, (k.first_row + u.n - 1)::int AS row_no, coalesce(u.given, u.address) AS given, u.address, u.hash, u.contact_id
FROM reconciliation_chunk k, unnest(k.given, k.addresses, k.hashes, k.contact_ids) WITH ORDINALITY u (given, address, hash, contact_id, n);
`;
