import { createReadStream } from 'node:fs';
import { createInterface } from 'node:readline';
import type { Command } from 'commander';
import type { TakenEvents } from '../../shared/api.ts';
import { count, printOne, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';

const BATCH = 5000;

export function addCommands(group: Command): void {
  withOutput(
    group
      .command('import <file>')
      .description('record events of another system from a JSON Lines file; repeats are no-ops'),
  ).action(async (file: string, options: OutputOptions) => {
    const client = connect();
    const total: TakenEvents = { recorded: 0, repeated: 0, refused: [] };
    let first = 0;
    let lines: string[] = [];
    const flush = async (): Promise<void> => {
      const taken = await client.recordEvents(lines.join('\n'));
      total.recorded += taken.recorded;
      total.repeated += taken.repeated;
      total.refused.push(...taken.refused.map((one) => ({ ...one, line: one.line + first })));
      first += lines.length;
      lines = [];
    };
    for await (const text of createInterface({ input: createReadStream(file), crlfDelay: Infinity })) {
      lines.push(text);
      if (lines.length === BATCH) await flush();
    }
    if (lines.length > 0) await flush();
    printOne(total, options, () => [
      `${count(total.recorded)} recorded, ${count(total.repeated)} were known, ${count(total.refused.length)} refused.`,
      ...total.refused.slice(0, 20).map((one) => `  line ${one.line}: ${one.detail}`),
    ]);
    if (total.refused.length > 0) process.exitCode = 3;
  });
}
