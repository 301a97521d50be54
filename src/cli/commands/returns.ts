import type { ReturnItem } from '../../shared/contract/returns.ts';
import type { Command } from 'commander';
import { readReturn, type ReadReturn } from '../../core/returns/read-return.ts';
import { Refusal } from '../../client/send.ts';
import { count, line, note, printOne, type OutputOptions } from '../output.ts';
import { readMessages } from '../read-messages.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

export function addCommands(group: Command): void {
  addRead(group);
  addImport(group);
  addList(group);
  addShow(group);
  addMatch(group);
  addUnsubscribe(group);
  addDismiss(group);
}

function addRead(group: Command): void {
  withOutput(
    group
      .command('read <files...>')
      .description('how messages are read: message files, mbox, Maildir or - for standard input; needs no service'),
  ).action(readAll);
}

function addImport(group: Command): void {
  withOutput(
    group
      .command('import <files...>')
      .description('take returned messages in from message files, mbox or Maildir; the same message is counted once'),
  ).action(importAll);
}

function addList(group: Command): void {
  withPaging(withOutput(group.command('list').description('messages that came back, latest first')))
    .option(
      '--state <state>',
      'counted, noted, asks (to stop), held (hard bounces known by their Message-ID alone), unmatched or dismissed',
    )
    .action(async (options: OutputOptions & PagingOptions & { state?: ReturnItem['state'] }) => {
      printPage(
        await connect().returns({ state: options.state, ...pageOf(options) }),
        [
          { head: 'No', cell: (row) => String(row.id), right: true },
          { head: 'When', cell: (row) => moment(row.receivedAt) },
          { head: 'Kind', cell: (row) => row.kind },
          { head: 'State', cell: (row) => row.state },
          { head: 'Of', cell: (row) => row.reading.recipients.map((recipient) => recipient.address).join(', ') },
          { head: 'Because', cell: (row) => row.because },
        ],
        options,
        options.state === undefined ? 'Nothing has come back yet.' : `No return is ${options.state}.`,
      );
    });
}

function addShow(group: Command): void {
  withOutput(group.command('show <number>').description('one return: how it was read, and the message')).action(
    async (id: string, options: OutputOptions) => {
      const row = await connect().return({ id: Number(id) });
      printOne(row, options, () => [
        `Return ${row.id}, ${row.state}: ${row.because}`,
        `To ${row.envelopeTo}, ${moment(row.receivedAt)}`,
        '',
        row.message ?? 'The message itself is not kept any more.',
      ]);
    },
  );
}

function addMatch(group: Command): void {
  group
    .command('match <number> <address>')
    .description('say whom a return is about that is unmatched or held; it counts from then on')
    .option('--campaign <number>', 'which campaign; else the latest that they were sent')
    .action(async (id: string, address: string, options: { campaign?: string }) => {
      const campaignId = options.campaign === undefined ? undefined : Number(options.campaign);
      const { state, because } = await connect().matchReturn({ id: Number(id), address, campaignId });
      line(`Return ${id} is ${state}: ${because}`);
    });
}

function addUnsubscribe(group: Command): void {
  group
    .command('unsubscribe <number>')
    .description('unsubscribe somebody whose reply asks to stop')
    .action(async (id: string) => {
      const { left } = await connect().grantStop({ id: Number(id) });
      line(`Unsubscribed${left.length > 0 ? ` from ${left.join(', ')}` : '; they were on no list'}.`);
    });
}

function addDismiss(group: Command): void {
  group
    .command('dismiss <number>')
    .description('put a return aside that is unmatched, held, or asks for nothing after all')
    .action(async (id: string) => {
      await connect().dismissReturn({ id: Number(id) });
      line(`Return ${id} is put aside.`);
    });
}

async function readAll(files: string[], options: OutputOptions): Promise<void> {
  const readings: (ReadReturn & { file: string })[] = [];
  for (const path of files)
    for await (const { file, raw } of readMessages(path)) {
      const reading = { file, ...readReturn(raw) };
      if (options.json) readings.push(reading);
      else printOne(reading, options, readingLines);
    }
  if (options.json) line(JSON.stringify(readings, null, 2));
}

async function importAll(files: string[], options: OutputOptions): Promise<void> {
  const client = connect();
  const taken = { messages: 0, counted: 0, noted: 0, asks: 0, held: 0, unmatched: 0, dismissed: 0, refused: 0 };
  for (const path of files)
    for await (const { file, raw } of readMessages(path)) {
      taken.messages++;
      try {
        taken[(await client.receiveReturn({ file: new Uint8Array(raw) })).state]++;
      } catch (error) {
        if (!(error instanceof Refusal)) throw error;
        taken.refused++;
        note(`${file}: ${error.message}`);
      }
    }
  if (taken.refused > 0) process.exitCode = 3;
  printOne(taken, options, () => [
    `${count(taken.messages)} messages: ${count(taken.counted + taken.asks)} counted, ${count(taken.noted)} noted, ${taken.held > 0 ? `${count(taken.held)} held for a person, ` : ''}${count(taken.unmatched)} unmatched${taken.refused > 0 ? `, ${count(taken.refused)} refused` : ''}.`,
    ...(taken.unmatched > 0 ? ['Which, and why: avendel returns list --state unmatched'] : []),
  ]);
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
