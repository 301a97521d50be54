import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Relays beside the one of the settings, which brand uses which, and by which each message went. */
export class Relays1790000000043 implements MigrationInterface {
  name = 'Relays1790000000043';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
CREATE TABLE relay (
  id serial PRIMARY KEY,
  name text NOT NULL,
  host text NOT NULL,
  port int NOT NULL CHECK (port BETWEEN 1 AND 65535),
  security text NOT NULL CHECK (security IN ('tls', 'starttls', 'none')),
  -- Authorities that are trusted beside those of the system, in PEM; empty for none.
  certificate text NOT NULL DEFAULT '',
  account text NOT NULL DEFAULT '',
  -- Where the password is, never the password: the name of an environment variable, or of a file.
  password_variable text,
  password_file text,
  connections int NOT NULL CHECK (connections BETWEEN 1 AND 100),
  per_hour float8 CHECK (per_hour > 0),
  -- A domain, or the address of a mailbox; null for the return domain of the brand.
  returns_to text,
  version int NOT NULL DEFAULT 1,
  -- How many may go at once, at that instant; only where a rate is set.
  tokens float8 NOT NULL DEFAULT 0,
  tokens_at timestamptz NOT NULL DEFAULT now(),
  trouble text,
  trouble_since timestamptz,
  created_at timestamptz NOT NULL DEFAULT now(),
  created_by text NOT NULL,
  changed_by text,
  removed_at timestamptz,
  CONSTRAINT relay_password CHECK (password_variable IS NULL OR password_file IS NULL)
);
-- Messages went by those that were removed; their names are free again.
CREATE UNIQUE INDEX relay_name_key ON relay (lower(name)) WHERE removed_at IS NULL;
CREATE TABLE brand_relay (
  brand_id int NOT NULL REFERENCES brand,
  place int NOT NULL,
  relay_id int NOT NULL REFERENCES relay,
  PRIMARY KEY (brand_id, place),
  CONSTRAINT brand_relay_once UNIQUE (brand_id, relay_id)
);
-- By which relay a message went; null for the one of the settings, and for what never went.
ALTER TABLE delivery ADD COLUMN relay_id int;`);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
