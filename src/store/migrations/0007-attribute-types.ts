import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Types of attributes, and consent as a file says it. */
export class AttributeTypes1790000000007 implements MigrationInterface {
  name = 'AttributeTypes1790000000007';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(UP);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}

const UP = `
-- What an attribute holds, since it was first said; one that is not here is text.
CREATE TABLE attribute_type (
  name text PRIMARY KEY,
  type text NOT NULL CHECK (type IN ('text', 'number', 'date', 'yes-no', 'choice')),
  choices text[],
  CHECK ((type = 'choice') = (choices IS NOT NULL))
);
ALTER TABLE sign_up ADD COLUMN source text,
  DROP CONSTRAINT sign_up_state_check,
  ADD CONSTRAINT sign_up_state_check CHECK (state IN ('pending', 'confirmed', 'expired', 'turned-away', 'noted')),
  DROP CONSTRAINT sign_up_way_check,
  ADD CONSTRAINT sign_up_way_check CHECK (way IN ('form', 'api', 'preferences', 'import'));
`;
