import type { MigrationInterface, QueryRunner } from 'typeorm';

/** How a brand scores its contacts, every version kept; and what makes preflights and batches of events faster. */
export class Scores1790000000014 implements MigrationInterface {
  name = 'Scores1790000000014';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(UP);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}

const UP = `
CREATE TABLE score_rule (
  brand_id int NOT NULL REFERENCES brand,
  version int NOT NULL,
  rule jsonb NOT NULL,
  changed_at timestamptz NOT NULL DEFAULT now(),
  changed_by text NOT NULL,
  reason text NOT NULL,
  PRIMARY KEY (brand_id, version)
);
-- The few whose mark an event could change; of a batch of ten thousand each was looked up among all contacts.
CREATE INDEX contact_not_deliverable ON contact (id) WHERE deliverability <> 'deliverable';
-- A preflight counts by domain and reason. Without these the planner expects a group for each contact, and lets one
-- process put them together. Of an instant it is only asked whether it is set.
CREATE STATISTICS contact_domain ON (split_part(address, '@', 2)) FROM contact;
ALTER TABLE contact ALTER archived_at SET (n_distinct = 2), ALTER erased_at SET (n_distinct = 2);
`;
