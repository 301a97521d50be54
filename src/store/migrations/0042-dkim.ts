import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Keys with which the messages of a brand are signed. */
export class Dkim1790000000042 implements MigrationInterface {
  name = 'Dkim1790000000042';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
CREATE TABLE dkim_key (
  id serial PRIMARY KEY,
  brand_id int NOT NULL REFERENCES brand,
  domain text NOT NULL,
  selector text NOT NULL,
  -- The private key, readable only with the key of the settings; taken away with the key.
  sealed bytea,
  public_key text NOT NULL,
  signs boolean NOT NULL DEFAULT false,
  created_at timestamptz NOT NULL DEFAULT now(),
  created_by text NOT NULL,
  removed_at timestamptz,
  removed_by text,
  CONSTRAINT dkim_key_removed CHECK (removed_at IS NULL OR (sealed IS NULL AND NOT signs)),
  -- Also of those removed: messages under way are still checked with the key that stood there.
  CONSTRAINT dkim_key_name_key UNIQUE (domain, selector)
);
CREATE INDEX dkim_key_of_brand ON dkim_key (brand_id) WHERE removed_at IS NULL;`);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
