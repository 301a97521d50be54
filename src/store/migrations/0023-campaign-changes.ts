import type { MigrationInterface, QueryRunner } from 'typeorm';

/**
 * Who started, paused, resumed, cancelled a campaign, and when; and which version of it was looked at before it was
 * started.
 */
export class CampaignChanges1790000000023 implements MigrationInterface {
  name = 'CampaignChanges1790000000023';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
ALTER TABLE campaign ADD COLUMN version int NOT NULL DEFAULT 1;
CREATE TABLE campaign_change (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY,
  campaign_id int NOT NULL REFERENCES campaign,
  at timestamptz NOT NULL DEFAULT now(),
  before text NOT NULL,
  after text NOT NULL,
  actor_kind text NOT NULL CHECK (actor_kind IN ('person', 'rule')),
  actor text NOT NULL,
  because text
);
CREATE INDEX campaign_change_by_campaign ON campaign_change (campaign_id, id);`);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
