import type { Command } from 'commander';
import { sharePercent } from '../../shared/waves.ts';
import type { BrakeFigure, BrakeLimits } from '../../shared/contract/pace.ts';
import { brandNamed } from '../names.ts';
import { printOne, tableText, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';

interface BrakeOptions extends OutputOptions, Partial<Record<BrakeFigure, string>> {
  brand?: string;
}

const ROWS: readonly [BrakeFigure, string][] = [
  ['hard', 'hard bounces, of those tried'],
  ['block', 'blocks, of those tried'],
  ['complaints', 'complaints, of those delivered'],
  ['unsubscribed', 'unsubscribed, of those delivered'],
];

export function addCommands(group: Command): void {
  withOutput(group.command('show').description('from which rates on a brand’s campaigns are stopped'))
    .option('--brand <brand>', 'of this brand')
    .action(async (options: BrakeOptions) => {
      const client = connect();
      const { id: brandId } = await brandNamed(client, options.brand);
      printOne(await client.brakeLimits({ brandId }), options, limitLines);
    });
  const set = withOutput(group.command('set').description('change those that are named')).option(
    '--brand <brand>',
    'of this brand',
  );
  for (const [figure, words] of ROWS) set.option(`--${figure} <percent>`, words);
  set.action(async (options: BrakeOptions) => {
    const said = ROWS.flatMap(([figure]) =>
      options[figure] === undefined ? [] : [[figure, Number(options[figure]) / 100] as const],
    );
    if (said.length === 0) throw new UsageError(`Say which: ${ROWS.map(([figure]) => `--${figure}`).join(', ')}.`);
    const client = connect();
    const { id: brandId } = await brandNamed(client, options.brand);
    printOne(await client.changeBrakeLimits({ brandId, ...Object.fromEntries(said) }), options, limitLines);
  });
}

function limitLines(limits: BrakeLimits): string[] {
  return [
    tableText(
      ROWS.map(([figure, words]) => ({ words, limit: limits[figure] })),
      [
        { head: 'Rate', cell: (row) => row.words },
        { head: 'Limit', cell: (row) => sharePercent(row.limit), right: true },
      ],
    ),
    'A campaign, a wave of it or a receiving domain past one is stopped, once 200 were tried and 5 such events came.',
  ];
}
