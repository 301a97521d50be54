import type { Command } from 'commander';
import type { CatchingUp, CheckedTallies } from '../../shared/contract/tallies.ts';
import { count, printOne, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

const WORDS: Readonly<Record<CatchingUp['what'], string>> = {
  mailed: 'Which messages reached each contact',
  tallies: 'Tallies of campaigns and days',
};

export function addCommands(group: Command): void {
  withOutput(
    group.command('show').description('how far the tallies have caught up with what was stored before this version'),
  ).action(async (options: OutputOptions) =>
    printOne(await connect().tallies(), options, (all) => all.map((one) => `${WORDS[one.what]}: ${howFar(one)}.`)),
  );
  withOutput(
    group
      .command('check')
      .description('count all tallies anew from the ledger and the events, and say what differs; changes nothing'),
  ).action(async (options: OutputOptions) => {
    const checked = await connect().checkTallies();
    printOne(checked, options, linesOf);
    if (checked.tallies.differing + checked.messages.differing + checked.mailed.differing > 0) process.exitCode = 1;
  });
}

const howFar = ({ upto, whole, finishedAt }: CatchingUp): string =>
  finishedAt !== null
    ? `all is counted, since ${moment(finishedAt)}`
    : `what was stored before is still being counted, ${whole === 0 ? 0 : Math.floor((100 * upto) / whole)} % so far`;

function linesOf({ tallies, messages, mailed, catchingUp }: CheckedTallies): string[] {
  const says = (
    what: string,
    { rows, differing, sample }: { rows: number; differing: number; sample: (string | number)[] },
    of: string,
  ): string[] => [
    `${count(rows)} ${what} counted anew: ${differing === 0 ? 'none differs.' : `${count(differing)} ${of} differ.`}`,
    ...sample.map((one) => `  ${one}`),
  ];
  return [
    ...says('tallies', tallies, 'tallies'),
    ...says('messages with acts or bounces', messages, 'contacts'),
    ...says('rows of which messages reached whom', mailed, 'contacts'),
    ...catchingUp.map((one) => `Not compared in full. ${WORDS[one.what]}: ${howFar(one)}.`),
  ];
}
