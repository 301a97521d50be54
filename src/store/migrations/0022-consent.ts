import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * Whose word an end is, and when it was said. What a run of staff ended before can be given back; every other end is
 * the contact's. Lists are shown on the preference page if they are public, as all were.
 */
export class Consent1790000000022 implements MigrationInterface {
  name = 'Consent1790000000022';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
ALTER TABLE list ADD COLUMN is_public boolean NOT NULL DEFAULT true;
ALTER TABLE subscription
  -- who ended it; null unless it is unsubscribed
  ADD COLUMN ended_by text CHECK (ended_by IN ('contact', 'staff', 'rule', 'standing act')),
  -- the contact's own latest leaving of this list, whatever state it is in
  ADD COLUMN left_at timestamptz;
UPDATE subscription s SET ended_by = 'contact', left_at = s.since WHERE s.state = 'unsubscribed';
UPDATE subscription s SET ended_by = 'staff', left_at = NULL FROM run r
WHERE s.state = 'unsubscribed' AND r.kind = 'unsubscribe' AND s.source = 'run ' || r.id;
ALTER TABLE suppression_entry
  -- on lists of opt-outs: who entered it
  ADD COLUMN ended_by text CHECK (ended_by IN ('contact', 'staff', 'rule', 'standing act')),
  -- when it was said: later than entered_at it cannot be, earlier often is
  ADD COLUMN said_at timestamptz NOT NULL DEFAULT now();
UPDATE suppression_entry e SET said_at = coalesce(to_timestamp((e.evidence->>'at')::float8 / 1000), e.entered_at),
  ended_by = CASE WHEN l.built_in = 'opt-out' THEN CASE WHEN e.evidence IS NULL THEN 'staff' ELSE 'contact' END END
FROM suppression_list l WHERE l.id = e.list_id AND l.built_in IN ('complaint', 'opt-out');
-- An erased person's opt-out has no evidence any more; it stays their own.
UPDATE suppression_entry SET ended_by = 'contact' WHERE ended_by = 'staff' AND kind = 'hash';
UPDATE suppression_entry SET said_at = entered_at WHERE list_id NOT IN (SELECT id FROM suppression_list WHERE built_in IN ('complaint', 'opt-out'));`);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
