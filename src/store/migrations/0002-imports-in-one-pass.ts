import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * Imports are read and applied in one pass: rows are no longer staged, and the outcome of a row is one letter.
 * What every bulk change writes becomes cheaper: addresses are compared byte by byte (they are in normal form, no
 * language's order means anything for them), the journal keeps one index for its entries instead of one for all
 * subjects, and the journal and the stages lose foreign keys whose look-ups were a third of writing a row (runs,
 * contacts and brands are never deleted). The journal takes a whole set of contacts in one row where all went from
 * nothing to the same: 20,000 rows with their indexes were most of what a chunk of an import cost.
 */
export class ImportsInOnePass1790000000002 implements MigrationInterface {
  name = 'ImportsInOnePass1790000000002';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(UP);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}

const UP = `
ALTER TABLE contact ALTER COLUMN address TYPE text COLLATE "C";
ALTER TABLE delivery ALTER COLUMN address TYPE text COLLATE "C";
ALTER TABLE suppression_entry ALTER COLUMN value TYPE text COLLATE "C";
ALTER TABLE journal DROP CONSTRAINT journal_run_id_fkey;
ALTER TABLE contact_stage DROP CONSTRAINT contact_stage_contact_id_fkey, DROP CONSTRAINT contact_stage_brand_id_fkey;
DROP INDEX journal_by_subject;
CREATE INDEX journal_by_entry ON journal (subject_id, id) WHERE subject = 'entry';
ALTER TABLE journal ADD COLUMN contacts int8multirange,
  ADD CONSTRAINT journal_set_or_contact CHECK (contacts IS NULL OR (contact_id IS NULL AND before IS NULL));
CREATE INDEX journal_by_set ON journal USING gist (contacts) WHERE contacts IS NOT NULL;
-- The few addresses with a sub-address, by what they are without it: every audience asks for them.
CREATE INDEX contact_by_base_address ON contact ((split_part(address, '+', 1) || '@' || split_part(address, '@', 2))) WHERE strpos(address, '+') > 1;
-- Ids come in blocks, so that what one chunk of an import creates is a few ranges of them.
ALTER SEQUENCE contact_id_seq CACHE 100;
ALTER TABLE import RENAME COLUMN rows_read TO rows_expected;
UPDATE import SET state = 'waiting' WHERE state = 'reading';
ALTER TABLE import_chunk ADD COLUMN letters text;
UPDATE import_chunk SET letters = (
  SELECT string_agg(CASE o WHEN 'created' THEN 'c' WHEN 'updated' THEN 'u' WHEN 'unchanged' THEN '=' WHEN 'duplicate' THEN 'd'
    WHEN 'suppressed' THEN 's' WHEN 'suppressed:unsubscribed' THEN 'l' WHEN 'refused:empty' THEN 'E' WHEN 'refused:too-long' THEN 'T'
    WHEN 'refused:no-at-sign' THEN 'A' WHEN 'refused:bad-local-part' THEN 'L' WHEN 'refused:bad-domain' THEN 'D'
    WHEN 'refused:control-character' THEN 'I' WHEN 'refused:column-count' THEN 'C' WHEN 'refused:bad-date' THEN 'J' ELSE 'U' END, '' ORDER BY n)
  FROM unnest(outcomes) WITH ORDINALITY AS u (o, n));
ALTER TABLE import_chunk ALTER COLUMN letters SET NOT NULL, DROP COLUMN outcomes;
DROP TABLE import_row;
`;
