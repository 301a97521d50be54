import { readFileSync } from 'node:fs';
import type { Command } from 'commander';
import { readReturn, type ReadReturn } from '../../core/returns/read-return.ts';
import { UsageError } from '../usage-error.ts';
import { line, moment, printOne, printRows, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';

export function addCommands(group: Command): void {
  withOutput(
    group.command('read <files...>').description('how message files are read; needs no service (- is standard input)'),
  ).action((files: string[], options: OutputOptions) => {
    const readings = files.map((file) => ({ file, ...readReturn(readMessage(file)) }));
    if (options.json) return line(JSON.stringify(readings, null, 2));
    for (const reading of readings) printOne(reading, options, readingLines);
  });
  withOutput(group.command('list').description('messages that came back, latest first'))
    .option('--state <state>', 'counted, noted, unmatched or dismissed')
    .action(async (options: OutputOptions & { state?: string }) => {
      printRows((await connect().returns({ state: options.state })).items, [
        { head: 'No', cell: (row) => String(row.id), right: true },
        { head: 'When', cell: (row) => moment(row.receivedAt) },
        { head: 'Kind', cell: (row) => row.kind },
        { head: 'State', cell: (row) => row.state },
        { head: 'Of', cell: (row) => row.reading.recipients.map((recipient) => recipient.address).join(', ') },
        { head: 'Because', cell: (row) => row.because },
      ], options, 'Nothing has come back yet.'); // prettier-ignore
    });
  withOutput(group.command('show <number>').description('one return: how it was read, and the message')).action(
    async (id: string, options: OutputOptions) => {
      const row = await connect().return(Number(id));
      printOne(row, options, () => [
        `Return ${row.id}, ${row.state}: ${row.because}`,
        `To ${row.envelopeTo}, ${moment(row.receivedAt)}`,
        '',
        row.message,
      ]);
    },
  );
  group.command('dismiss <number>').description('put an unmatched return aside').action(async (id: string) => {
    await connect().dismissReturn(Number(id));
    line(`Return ${id} is put aside.`);
  }); // prettier-ignore
}

function readMessage(file: string): Buffer {
  try {
    return readFileSync(file === '-' ? 0 : file);
  } catch (error) {
    throw new UsageError(`${file} cannot be read: ${(error as Error).message}`, 1);
  }
}

function readingLines(reading: ReadReturn & { file: string }): string[] {
  return [
    `${reading.file}: ${reading.kind}${reading.standard ? ` (${reading.standard})` : ''}, because ${reading.because}`,
    ...reading.recipients.map((one) =>
      `  ${one.address}: ${one.class} ${[one.status, one.reply_code].filter(Boolean).join(' ')} ${one.text}`.trimEnd(),
    ),
    `  message ${reading.message_id ?? 'unknown'}, token ${reading.token ?? 'none'}`,
  ];
}
