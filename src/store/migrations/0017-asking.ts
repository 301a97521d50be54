import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Who waits on a list and never signed up, having come by a file, can be asked to confirm. */
export class Asking1790000000017 implements MigrationInterface {
  name = 'Asking1790000000017';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(UP);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}

const UP = `
ALTER TABLE sign_up DROP CONSTRAINT sign_up_way_check,
  ADD CONSTRAINT sign_up_way_check CHECK (way IN ('form', 'api', 'preferences', 'import', 'asked'));
ALTER TABLE journal DROP CONSTRAINT journal_subject_check,
  ADD CONSTRAINT journal_subject_check CHECK (subject IN ('stage', 'deliverability', 'subscription', 'entry', 'archive', 'address', 'tag', 'verdict', 'details', 'machine', 'asking'));
`;
