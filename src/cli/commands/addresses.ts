import { readFileSync } from 'node:fs';
import type { Command } from 'commander';
import type { CheckedAddress } from '../../shared/api-permission.ts';
import { printRows, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';

const AT_ONCE = 1000;

export function addCommands(group: Command): void {
  withOutput(
    group.command('check [addresses...]').description('what is to be said of each: refuse, hold, or fine, and why'),
  )
    .option('--file <file>', 'addresses, one a line')
    .action(async (given: string[], options: OutputOptions & { file?: string }) => {
      const lines = options.file === undefined ? [] : readFileSync(options.file, 'utf8').split(/\r?\n/).filter((one) => one.trim() !== ''); // prettier-ignore
      const all = [...given, ...lines];
      if (all.length === 0) throw new UsageError('Say which addresses, or --file.');
      const checked: CheckedAddress[] = [];
      for (let from = 0; from < all.length; from += AT_ONCE)
        checked.push(...(await connect().checkAddresses(all.slice(from, from + AT_ONCE))));
      printRows(checked, [
        { head: 'Given', cell: (one) => one.given },
        { head: 'Verdict', cell: (one) => one.verdict },
        { head: 'Why', cell: (one) => one.findings.map((finding) => `${finding.code}: ${finding.text}${finding.proposal ? ` Meant: ${finding.proposal}?` : ''}`).join(' ') },
      ], options, 'Nothing was given.'); // prettier-ignore
      if (checked.some((one) => one.verdict === 'refuse')) process.exitCode = 3;
    });
}
