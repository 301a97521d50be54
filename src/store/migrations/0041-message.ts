import type { MigrationInterface, QueryRunner } from 'typeorm';

/** Plain text alone, the line that mailboxes show after the subject, and why a service message has to be had. */
export class Message1790000000041 implements MigrationInterface {
  name = 'Message1790000000041';

  async up(runner: QueryRunner): Promise<void> {
    await runner.query(`
ALTER TABLE campaign
  ADD COLUMN format text NOT NULL DEFAULT 'html' CHECK (format IN ('html', 'text')),
  ADD COLUMN preview_line text NOT NULL DEFAULT '',
  ADD COLUMN count_links boolean NOT NULL DEFAULT false,
  ADD COLUMN statement text NOT NULL DEFAULT '',
  -- Of a scheduled service message: how many it was said to reach although they opted out.
  ADD COLUMN expected_in_spite int`);
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
