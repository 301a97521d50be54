import type { MigrationInterface, QueryRunner } from 'typeorm';

/** A run that changed the ladder remembers both, so that its undo can put the ladder back as well. */
export class RulesOfRuns1790000000032 implements MigrationInterface {
  name = 'RulesOfRuns1790000000032';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query('ALTER TABLE run ADD COLUMN rule_before jsonb, ADD COLUMN rule_after jsonb');
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
