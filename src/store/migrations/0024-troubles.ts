import type { MigrationInterface, QueryRunner } from 'typeorm';

/** What goes on by itself and failed when it was last its turn: Today says so until it goes well again. */
export class Troubles1790000000024 implements MigrationInterface {
  name = 'Troubles1790000000024';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
CREATE TABLE trouble (
  what text NOT NULL,
  -- 0 for what concerns the whole organisation
  brand_id int NOT NULL,
  detail text NOT NULL,
  since timestamptz NOT NULL DEFAULT now(),
  last_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (what, brand_id)
);`);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
