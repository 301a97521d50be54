import { createReadStream, existsSync, statSync, type ReadStream } from 'node:fs';
import { createInterface } from 'node:readline';
import type { Command } from 'commander';
import type { TakenEvents } from '../../shared/contract/events.ts';
import { makeProgress } from '../progress.ts';
import { count, note, printOne, type OutputOptions } from '../output.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { connect } from '../sign-in-file.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

const BATCH = 5000;
const MOST_SAID = 20;

interface ImportOptions extends OutputOptions {
  create?: boolean;
  keep?: boolean;
  fromLine: string;
}

export function addCommands(group: Command): void {
  withOutput(
    group
      .command('import <file>')
      .description('record events of another system from a JSON Lines or CSV file of any length; repeats are no-ops'),
  )
    .option('--create', 'make contacts, on no list, of addresses that are none')
    .option('--keep', 'keep events of addresses that are no contact aside, until they are one')
    .option('--from-line <number>', 'go on at this line, where an import stopped', '1')
    .action(importEvents);
  const aside = group.command('aside').description('events that wait for their address to be a contact');
  withPaging(withOutput(aside.command('list').description('which events wait, oldest first')))
    .option('--address <address>', 'only those of this address')
    .action(async ({ address, ...options }: OutputOptions & PagingOptions & { address?: string }) => {
      printPage(
        await connect().eventsAside({ address, ...pageOf(options) }),
        [
          { head: 'Address', cell: (row) => row.address },
          { head: 'Kind', cell: (row) => row.body.kind },
          { head: 'At', cell: (row) => moment(row.body.at) },
          { head: 'Source', cell: (row) => row.body.source },
          { head: 'Kept', cell: (row) => moment(row.keptAt) },
        ],
        options,
        'No event waits.',
      );
    });
  withOutput(aside.command('take').description('record those whose address is a contact by now')).action(
    async (options: OutputOptions) => {
      const taken = await connect().takeEventsAside();
      printOne(taken, options, () => [
        `${count(taken.recorded)} recorded.`,
        ...taken.refused.slice(0, MOST_SAID).map((one) => `  ${one.id}: ${one.detail}`),
      ]);
      if (taken.refused.length > 0) process.exitCode = 3;
    },
  );
  withOutput(aside.command('drop').description('drop events that wait, of one address or all'))
    .option('--address <address>', 'those of this address')
    .option('--all', 'all of them')
    .action(async (options: OutputOptions & { address?: string; all?: boolean }) => {
      if ((options.address === undefined) === !options.all)
        throw new UsageError('Say which: --address ADDRESS, or --all.');
      printOne(await connect().dropEventsAside({ address: options.address }), options, ({ dropped }) => [
        `${count(dropped)} dropped.`,
      ]);
    });
}

/** Requests under way at once: while one is written by the database the next is read. */
const IN_FLIGHT = 2;

async function importEvents(file: string, options: ImportOptions): Promise<void> {
  if (!existsSync(file)) throw new UsageError(`There is no file ${file}.`, 1);
  const client = connect();
  const stream = createReadStream(file);
  const total = { recorded: 0, repeated: 0, aside: 0, refused: 0, said: [] as TakenEvents['refused'] };
  const batches = batchesOf(/\.csv$/i.test(file) ? linesOfCsv(stream) : linesOf(stream), Number(options.fromLine));
  // Lines before this one are all recorded, whatever is under way.
  const under = new Set<number>();
  let read = 1;
  let failed = false;
  const progress = makeProgress();
  const lane = async (): Promise<void> => {
    for (let next = await batches.next(); !next.done && !failed; next = await batches.next()) {
      const { first, lines } = next.value;
      under.add(first);
      read = Math.max(read, first + lines.length);
      const taken = await client.recordEvents({
        file: lines.join('\n'),
        unknown: options.create ? 'create' : options.keep ? 'keep' : 'refuse',
      });
      under.delete(first);
      addUp(total, taken, first);
      progress.draw('bytes', stream.bytesRead, statSync(file).size);
    }
  };
  try {
    await Promise.all(Array.from({ length: IN_FLIGHT }, lane));
  } catch (error) {
    failed = true;
    const from = Math.min(read, ...under);
    note(
      `Up to line ${count(from - 1)} everything is recorded. Go on: avendel events import ${file} --from-line ${from}`,
    );
    throw error;
  } finally {
    progress.end();
  }
  total.said.sort((a, b) => a.line - b.line);
  printOne(total, options, () => [
    `${count(total.recorded)} recorded, ${count(total.repeated)} were known, ${count(total.refused)} refused${total.aside > 0 ? `, ${count(total.aside)} kept aside until their address is a contact` : ''}.`,
    ...total.said.map((one) => `  line ${one.line}: ${one.detail}`),
    ...(total.refused > total.said.length ? [`  … and ${count(total.refused - total.said.length)} more`] : []),
  ]);
  if (total.refused > 0) process.exitCode = 3;
}

type Total = Pick<TakenEvents, 'recorded' | 'repeated' | 'aside'> & { refused: number; said: TakenEvents['refused'] };

function addUp(total: Total, taken: TakenEvents, first: number): void {
  total.recorded += taken.recorded;
  total.repeated += taken.repeated;
  total.aside += taken.aside;
  total.refused += taken.refused.length;
  const more = taken.refused.slice(0, MOST_SAID - total.said.length);
  total.said.push(...more.map((one) => ({ ...one, line: one.line + first - 1 })));
}

/** Lines in batches, each with the number of its first line; those before `from` are passed over, a batch at a time. */
async function* batchesOf(
  lines: AsyncIterable<string>,
  from: number,
): AsyncGenerator<{ first: number; lines: string[] }, void> {
  let batch: string[] = [];
  let first = 1;
  for await (const text of lines) {
    batch.push(text);
    if (batch.length < BATCH) continue;
    if (first + batch.length > from) yield { first, lines: batch };
    first += batch.length;
    batch = [];
  }
  if (batch.length > 0) yield { first, lines: batch };
}

function linesOf(stream: ReadStream): AsyncIterable<string> {
  return createInterface({ input: stream, crlfDelay: Infinity });
}

/** Columns that are numbers in an event. */
const NUMBERS: ReadonlySet<string> = new Set(['brandId', 'campaignId', 'link']);

/**
 * Rows of a CSV file as lines of JSON: its columns are the fields of an event, `external_id` or `externalId` alike.
 * Line 1 is the first row below the header.
 */
async function* linesOfCsv(stream: ReadStream): AsyncGenerator<string> {
  const { parse } = await import('csv-parse');
  const columns = (header: string[]): string[] =>
    header.map((name) => name.trim().replace(/_([a-z])/g, (_, letter: string) => letter.toUpperCase()));
  const rows = stream.pipe(parse({ bom: true, columns, relax_column_count: true, skip_empty_lines: true }));
  for await (const row of rows as AsyncIterable<Record<string, string>>) {
    const filled = Object.entries(row).filter(([, value]) => value !== '');
    yield JSON.stringify(
      Object.fromEntries(filled.map(([name, value]) => [name, NUMBERS.has(name) ? Number(value) : value])),
    );
  }
}
