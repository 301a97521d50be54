import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Messages that are out come back to the domain that their brand had then: the intake goes on taking mail for it. */
export class ReturnDomains1790000000029 implements MigrationInterface {
  name = 'ReturnDomains1790000000029';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
CREATE TABLE return_domain (
  -- in lower case
  domain text PRIMARY KEY,
  since timestamptz NOT NULL DEFAULT now()
);
INSERT INTO return_domain (domain) SELECT DISTINCT lower(return_domain) FROM brand;`);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
