import type { Command } from 'commander';
import { RETENTION_WORDS, type Retention, type RetentionState } from '../../shared/retention.ts';
import { count, printOne, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

const OPTIONS = {
  network: 'networkDays',
  rawReturns: 'rawReturnDays',
  unmatched: 'unmatchedDays',
  files: 'fileDays',
} as const;
type Given = Partial<Record<keyof typeof OPTIONS, string>>;

export function addCommands(group: Command): void {
  withOutput(
    group.command('show').description('for how many days things are kept, and what the last sweep took away'),
  ).action(async (options: OutputOptions) => printOne(await connect().retention(), options, retentionLines));
  withOutput(
    group.command('set').description('change it; what is too old then goes with the next sweep, at night, for good'),
  )
    .option('--network <days>', RETENTION_WORDS.networkDays)
    .option('--raw-returns <days>', RETENTION_WORDS.rawReturnDays)
    .option('--unmatched <days>', RETENTION_WORDS.unmatchedDays)
    .option('--files <days>', RETENTION_WORDS.fileDays)
    .action(async (options: OutputOptions & Given) => {
      const given = Object.entries(OPTIONS).flatMap(([option, field]) =>
        options[option as keyof Given] === undefined ? [] : [[field, Number(options[option as keyof Given])] as const],
      );
      if (given.length === 0) throw new UsageError('Say what is to be kept for how many days: --help lists it.');
      printOne(await connect().saveRetention(Object.fromEntries(given) as Partial<Retention>), options, retentionLines);
    });
}

function retentionLines(state: RetentionState): string[] {
  const fields = Object.entries(RETENTION_WORDS) as [keyof Retention, string][];
  const swept = state.swept;
  return [
    ...fields.map(([field, words]) => `${String(state[field]).padStart(5)} days  ${words}`),
    swept === null
      ? 'Nothing has been swept yet; it is done at night.'
      : `Last swept ${moment(swept.at)}: ${count(swept.acts)} acts and ${count(swept.signUps)} sign-ups without where they came from, ${count(swept.rawReturns)} messages, ${count(swept.unmatched)} unmatched returns, ${count(swept.files)} files.`,
  ];
}
