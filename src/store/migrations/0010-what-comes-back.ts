import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Names and attributes that an import changed can be put back. */
export class WhatComesBack1790000000010 implements MigrationInterface {
  name = 'WhatComesBack1790000000010';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(UP);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}

const UP = `
ALTER TABLE journal DROP CONSTRAINT journal_subject_check,
  ADD CONSTRAINT journal_subject_check CHECK (subject IN ('stage', 'deliverability', 'subscription', 'entry', 'archive', 'address', 'tag', 'verdict', 'details'));
`;
