import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * What came back is kept once, however many of our addresses it came to; its bytes can go before what was read in them.
 */
export class RawReturnsOnce1790000000026 implements MigrationInterface {
  name = 'RawReturnsOnce1790000000026';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
CREATE TABLE return_raw (
  -- of the whole message, also where only its beginning is kept
  digest uuid PRIMARY KEY,
  raw bytea NOT NULL,
  kept_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX return_raw_by_age ON return_raw (kept_at);
INSERT INTO return_raw (digest, raw, kept_at)
  SELECT encode(substring(sha256(raw) for 16), 'hex')::uuid, raw, max(received_at) FROM return_message WHERE raw <> '' GROUP BY raw;
ALTER TABLE return_message
  ADD COLUMN raw_digest uuid REFERENCES return_raw ON DELETE SET NULL,
  ADD COLUMN bytes int NOT NULL DEFAULT 0;
UPDATE return_message SET bytes = length(raw), raw_digest = encode(substring(sha256(raw) for 16), 'hex')::uuid WHERE raw <> '';
ALTER TABLE return_message DROP COLUMN raw;
ALTER TABLE return_message ALTER COLUMN bytes DROP DEFAULT;
CREATE INDEX return_message_by_raw ON return_message (raw_digest);
CREATE INDEX return_message_by_age ON return_message (received_at);
-- held: a hard bounce that is known by less than a token, for a person
ALTER TABLE return_message DROP CONSTRAINT return_message_state_check,
  ADD CONSTRAINT return_message_state_check CHECK (state IN ('counted', 'noted', 'asks', 'held', 'unmatched', 'dismissed'));
-- What was erased had lost its shape.
UPDATE return_message SET reading = jsonb_build_object('kind', kind, 'standard', null, 'recipients', '[]'::jsonb, 'message_id', null, 'token', null, 'because', because)
  WHERE reading = '{}';`);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
