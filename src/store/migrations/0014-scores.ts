import type { MigrationInterface, QueryRunner } from 'typeorm';

/** How a brand scores its contacts; every version is kept. */
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
`;
