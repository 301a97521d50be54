import type { MigrationInterface, QueryRunner } from 'typeorm';

/** What was decided about held rows of an import is kept; what a dry run has read can be imported for real. */
export class DecidedRows1790000000031 implements MigrationInterface {
  name = 'DecidedRows1790000000031';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
CREATE TABLE held_decision (
  import_id int NOT NULL REFERENCES import ON DELETE CASCADE,
  -- Why the rows were held: as in 'held:look-alike-domain', without the first word.
  code text NOT NULL,
  decided text NOT NULL CHECK (decided IN ('as-is', 'mended', 'left-out')),
  -- The import that took them in.
  by_import int REFERENCES import ON DELETE CASCADE,
  actor text NOT NULL,
  at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (import_id, code)
);
INSERT INTO held_decision (import_id, code, decided, by_import, actor, at)
SELECT DISTINCT ON (1, 2) (f.options->'held'->>'of')::int, c.code,
  CASE WHEN f.options->'held'->'mend' = '{}' THEN 'as-is' ELSE 'mended' END, f.id, f.actor, f.created_at
FROM import f CROSS JOIN LATERAL (
  SELECT jsonb_array_elements_text(f.options->'held'->'codes') AS code WHERE jsonb_typeof(f.options->'held'->'codes') = 'array'
  UNION ALL
  SELECT unnest('{refuse-list,null-exchanger,no-exchanger,look-alike-domain,role-name}'::text[]) WHERE jsonb_typeof(f.options->'held'->'codes') IS DISTINCT FROM 'array') c
WHERE NOT f.dry_run AND f.options ? 'held' ORDER BY 1, 2, f.id DESC;
-- Of a dry run: the import that did the same for real, and has its file since.
ALTER TABLE import ADD COLUMN applied_as int REFERENCES import;`);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
