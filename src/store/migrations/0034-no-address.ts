import type { MigrationInterface, QueryRunner } from 'typeorm';

/** A verifier's verdict that something is no address at all is called so: `no-address`, where it was `malformed`. */
export class NoAddress1790000000034 implements MigrationInterface {
  name = 'NoAddress1790000000034';

  async up(runner: QueryRunner): Promise<void> {
    for (const table of ['contact', 'verifier_word']) {
      await runner.query(`ALTER TABLE ${table} DROP CONSTRAINT ${table}_verdict_check`);
      await runner.query(`UPDATE ${table} SET verdict = 'no-address' WHERE verdict = 'malformed'`);
      await runner.query(
        `ALTER TABLE ${table} ADD CONSTRAINT ${table}_verdict_check
           CHECK (verdict IN ('good', 'risky', 'catch-all', 'undeliverable', 'trap', 'no-address', 'unknown'))`,
      );
    }
    // What an undo puts back, and what is asked about verdicts in conditions that are kept.
    for (const side of ['before', 'after'])
      await runner.query(
        `UPDATE journal SET ${side} = jsonb_set(${side}, '{verdict}', '"no-address"')
         WHERE subject = 'verdict' AND ${side}->>'verdict' = 'malformed'`,
      );
    await runner.query(
      `UPDATE setting SET value = value - 'malformed' || jsonb_build_object('no-address', value->'malformed')
       WHERE name = 'verdict-acts' AND value ? 'malformed'`,
    );
    for (const table of ['segment', 'segment_version', 'snapshot'])
      await runner.query(
        `UPDATE ${table} SET condition = regexp_replace(condition, '(\\mverdict is (one of \\([a-z, -]*)?)malformed\\M', '\\1no-address', 'g')
         WHERE condition LIKE '%verdict is%malformed%'`,
      );
  }

  async down(): Promise<void> {
    throw new Error('Migrations only go forward; restore a backup to go back.');
  }
}
