import type { MigrationInterface, QueryRunner } from 'typeorm';

/** What preflights and batches of events are counted and looked up by. */
export class QuickCounts1790000000015 implements MigrationInterface {
  name = 'QuickCounts1790000000015';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(UP);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}

const UP = `
-- The few whose mark an event could change; of a batch of ten thousand each was looked up among all contacts.
CREATE INDEX contact_not_deliverable ON contact (id) WHERE deliverability <> 'deliverable';
-- A preflight counts by domain and reason. Without these the planner expects a group for each contact, and lets one
-- process put them together. Of an instant it is only asked whether it is set.
CREATE STATISTICS contact_domain ON (split_part(address, '@', 2)) FROM contact;
ALTER TABLE contact ALTER archived_at SET (n_distinct = 2), ALTER erased_at SET (n_distinct = 2);
`;
