import type { MigrationInterface, QueryRunner } from 'typeorm';

/** The journal knows which account did something: two people may have one name, and one may change it. */
export class ActingAccounts1790000000028 implements MigrationInterface {
  name = 'ActingAccounts1790000000028';

  async up(runner: QueryRunner): Promise<void> {
    for (const table of ['journal', 'run', 'campaign_change'])
      await runner.query(`
ALTER TABLE ${table} ADD COLUMN account_id int;
-- told by the transaction; empty for what nobody in particular does
ALTER TABLE ${table} ALTER COLUMN account_id SET DEFAULT nullif(current_setting('avendel.account', true), '')::int;`);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
