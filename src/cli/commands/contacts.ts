import type { FileFormat } from '../../shared/contract/imports.ts';
import { openAsBlob } from 'node:fs';
import { existsSync } from 'node:fs';
import { basename } from 'node:path';
import { Option, type Command } from 'commander';
import type { Client } from '../../client/client.ts';
import type { ContactQuery } from '../../shared/contract/contacts.ts';
import type { SignUp } from '../../shared/contract/permission.ts';
import { AMONG, CONTACT_ORDERS, ENCODINGS, type Among, type ContactOrder, type Encoding } from '../../shared/words.ts';
import type { AddressCheck, BrandVerdict, TimeLineItem } from '../../shared/contract/contacts.ts';
import { heldByWords } from '../../client/wording/held-by.ts';
import { withCondition } from '../condition-problems.ts';
import { UsageError } from '../usage-error.ts';
import { brandNamed, listNamed } from '../names.ts';
import { addActs } from './contact-acts.ts';
import { addReconciling } from './reconcile.ts';
import { count, line, note, printOne, printRows, type OutputOptions } from '../output.ts';
import { saveStream } from '../save-stream.ts';
import { connect } from '../sign-in-file.ts';
import { describeEvent } from '../time-line-words.ts';
import { followImport, importLines, saveResults } from '../follow-import.ts';
import { withOutput } from '../with-output.ts';
import { day, moment } from '../zone.ts';

export function addCommands(group: Command): void {
  addImport(group);
  addList(group);
  addShow(group);
  addExport(group);
  addReconciling(group);
  addActs(group);
}

function addImport(group: Command): void {
  withOutput(group.command('import <file>').description('import a CSV file into a list'))
    .requiredOption('--list <list>', 'list that the contacts join')
    .option(
      '--map <column=use>',
      'what a column is: address, name, list (the list of each row), joined_at, tags, consent_source, consent_evidence, unsubscribed (they left the list: yes, no or since when), opted_out (they want no more of the brand), nothing to leave it out, or an attribute with its type (visits:number, born:date, member:yes-no, "tier:choice(friend|patron)"); may be repeated',
      (value, all: string[]) => [...all, value],
      [],
    )
    .option('--delimiter <character>', 'what parts the columns, if it is not found by itself')
    .option('--encoding <name>', `one of ${ENCODINGS.join(', ')}, if it is not found by itself`)
    .addOption(
      new Option('--header <yes|no>', 'whether the first row names the columns, if it is not found by itself').choices([
        'yes',
        'no',
      ]),
    )
    .option('--dry-run', 'count what would happen, and change nothing')
    .option('--results <file>', 'write the result file here: the original columns, then outcome, code and words')
    .action(
      async (
        file: string,
        options: OutputOptions & {
          list: string;
          map: string[];
          delimiter?: FileFormat['delimiter'] | '\\t';
          encoding?: Encoding;
          header?: 'yes' | 'no';
          dryRun?: boolean;
          results?: string;
        },
      ) => {
        if (!existsSync(file)) throw new UsageError(`There is no file ${file}.`, 1);
        const client = connect();
        const list = await listNamed(client, options.list);
        const map = options.map.length > 0 ? JSON.stringify(readMap(options.map)) : undefined;
        const delimiter = options.delimiter === '\\t' ? '\t' : options.delimiter;
        const begun = await client.importFile({
          listId: list.id,
          fileName: basename(file),
          dryRun: options.dryRun === true,
          delimiter,
          encoding: options.encoding,
          header: options.header && options.header === 'yes',
          map,
          file: await openAsBlob(file),
        });
        const done = await followImport(client, begun.id);
        printOne(done, options, () => importLines(done, list.name));
        if (options.results !== undefined) await saveResults(client, done.id, options.results);
        if (done.state === 'failed')
          throw new UsageError(`${done.problem?.detail ?? 'The import failed.'} Nothing was changed.`, 1);
        if ((done.counts['held'] ?? 0) > 0) note(`What was held, and why: avendel imports held ${done.id}`);
        if ((done.counts['refused'] ?? 0) > 0) {
          if (options.results === undefined)
            note(`Which rows, and why: avendel imports results ${done.id} --only refused`);
          process.exitCode = 3;
        }
      },
    );
}

function readMap(pairs: string[]): Record<string, string | null> {
  return Object.fromEntries(
    pairs.map((pair) => {
      const at = pair.lastIndexOf('=');
      if (at < 1) throw new UsageError(`--map wants COLUMN=USE, not “${pair}”.`);
      const use = pair.slice(at + 1).trim();
      return [pair.slice(0, at).trim(), use === '' ? null : use];
    }),
  );
}

/** The options that say which contacts are meant. */
interface FilterOptions {
  brand?: string;
  part?: string;
  list?: string;
  stage?: ContactQuery['stage'];
  deliverability?: ContactQuery['deliverability'];
  where?: string;
  ofBrand?: boolean;
  archived?: boolean;
  among?: Among;
  since?: string;
}

function withFilter(command: Command): Command {
  return command
    .option('--brand <brand>', 'brand whose stages are given')
    .option('--of-brand', 'only who is, or ever was, on a list of the brand')
    .option('--part <text>', 'part of an address or name')
    .option('--list <list>', 'subscribed to this list')
    .option('--stage <stage>', 'at this stage')
    .option('--deliverability <mark>', 'deliverable, doubtful or undeliverable')
    .option('--archived', 'only archived ones')
    .option('--no-archived', 'no archived ones')
    .addOption(new Option('--among <figure>', 'whom a figure of `avendel today` counts').choices(AMONG))
    .option('--since <instant>', 'from when on that figure counts; a day ago, if left out')
    .option(
      '--where <condition>',
      "whom a condition matches, as 'clicked in the last 30 days' or 'segment \"Readers\"'",
    );
}

/** @throws UsageError when there is no brand */
async function filterOf(client: Client, options: FilterOptions): Promise<ContactQuery> {
  const list = options.list === undefined ? undefined : await listNamed(client, options.list);
  const brandId =
    options.brand === undefined
      ? (list?.brandId ?? (await client.brands())[0]?.id)
      : (await brandNamed(client, options.brand)).id;
  if (brandId === undefined) throw new UsageError('There is no brand yet.', 1);
  const { part, stage, deliverability, where, ofBrand, archived, among, since } = options;
  return { brandId, listId: list?.id, part, stage, deliverability, where, ofBrand, archived, among, since };
}

function addList(group: Command): void {
  withFilter(withOutput(group.command('list').description('find contacts')))
    .addOption(
      new Option('--order <order>', 'by when they came in, or by address').choices(CONTACT_ORDERS).default('oldest'),
    )
    .option('--limit <number>', 'at most this many', '50')
    .option('--cursor <cursor>', 'go on where a page ended')
    .action(
      async (options: OutputOptions & FilterOptions & { order: ContactOrder; limit: string; cursor?: string }) => {
        const client = connect();
        const filter = await filterOf(client, options);
        const { order, limit, cursor } = options;
        const page = await withCondition(options.where ?? '', () =>
          client.contacts({ ...filter, order, limit: Number(limit), cursor }),
        );
        printRows(
          page.items,
          [
            { head: 'Address', cell: (contact) => contact.address },
            { head: 'Name', cell: (contact) => contact.name },
            { head: 'Stage', cell: (contact) => contact.stage ?? 'new' },
            { head: 'Receives', cell: (contact) => contact.deliverability },
            { head: 'Subscribed to', cell: (contact) => contact.lists.join(', ') },
          ],
          options,
          'No contact matches.',
        );
        if (!options.json && !options.jsonl)
          note(`${count(page.total)} in all${page.next ? `; the next page: --cursor ${page.next}` : ''}`);
      },
    );
}

function addExport(group: Command): void {
  withFilter(group.command('export').description('contacts of a filter as CSV or JSON Lines'))
    .option(
      '--columns <names>',
      'with commas between: address, name, joined_at, deliverability, stage, lists, archived_at, or attributes',
    )
    .option('--format <format>', 'csv or jsonl', 'csv')
    .option('--file <file>', 'where to write it', '-')
    .action(async (options: FilterOptions & { columns?: string; format: 'csv' | 'jsonl'; file: string }) => {
      const client = connect();
      const filter = await filterOf(client, options);
      const { columns, format, file } = options;
      await saveStream(
        await withCondition(options.where ?? '', () => client.exportContacts({ ...filter, columns, format })),
        file,
      );
      if (file !== '-') note(`Contacts: ${file}`);
    });
}

function addShow(group: Command): void {
  withOutput(
    group.command('show <address>').description('who is this, may we write to them and why, with their time line'),
  )
    .option('--events <number>', 'events of the time line', '15')
    .option('--only <kinds>', 'only these kinds of events, with commas between: clicked,opened')
    .action(showContact);
  withOutput(
    group.command('unsubscribe <address>').description('unsubscribe somebody who asked by telephone, letter or reply'),
  )
    .requiredOption('--reason <text>', 'what they said, and how')
    .option('--list <list>', 'only from this list')
    .option('--brand <brand>', 'only from this brand; else from every brand')
    .action(unsubscribe);
  withOutput(group.command('check <address>').description('may we write to this address, and why')).action(
    async (address: string, options: OutputOptions) => {
      const check = await connect().check({ address });
      printOne(check, options, verdictLines);
    },
  );
}

async function unsubscribe(
  address: string,
  options: OutputOptions & { reason: string; list?: string; brand?: string },
): Promise<void> {
  const client = connect();
  const listId = options.list === undefined ? undefined : (await listNamed(client, options.list)).id;
  const brandId = options.brand === undefined ? undefined : (await brandNamed(client, options.brand)).id;
  const done = await client.unsubscribeContact({ address, reason: options.reason, listId, brandId });
  printOne(done, options, () => [
    done.left.length === 0
      ? `${address} was on none of these lists; they stay out from now on.`
      : `${address} is off ${done.left.join(', ')}.`,
    `Check: avendel contacts check ${address}`,
  ]);
}

/** The proof behind subscriptions, one line a sign-up. */
function proofLine(one: SignUp): string {
  const confirmed =
    one.confirmedAt && one.way !== 'preferences'
      ? `, confirmed ${moment(one.confirmedAt)}${one.confirmedNetwork ? ` from ${one.confirmedNetwork}` : ''}`
      : '';
  const agreed = one.agreed === '' ? '' : `, agreed to “${one.agreed}”`;
  const state =
    one.state === 'confirmed' || one.state === 'noted' ? '' : ` (${one.state}${one.because ? `: ${one.because}` : ''})`;
  return `  ${moment(one.at)}  ${one.listName} by ${one.way}${one.source ? `, consent given at “${one.source}”` : ''}${one.network ? ` from ${one.network}` : ''}${confirmed}${agreed}${state}`;
}

async function showContact(address: string, options: OutputOptions & { events: string; only?: string }): Promise<void> {
  const client = connect();
  const check = await client.check({ address });
  const timeLine = check.contact
    ? await client.timeLine({ id: check.contact.id, kinds: options.only, limit: Number(options.events) })
    : { items: [], more: false };
  const signUps = check.contact ? await client.contactSignUps({ id: check.contact.id }) : [];
  if (options.json || options.jsonl)
    return printOne({ ...check, signUps, timeLine: timeLine.items }, options, () => []);
  for (const text of verdictLines(check)) line(text);
  if (signUps.length > 0) line(['Sign-ups', ...signUps.map(proofLine)].join('\n'));
  if (timeLine.items.length === 0) return;
  line('\nTime line');
  for (const item of timeLine.items) line(`  ${moment(item.at)}  ${ACTOR_MARKS[item.actor]} ${describeEvent(item)}`);
  if (timeLine.more) line(`  … earlier events: --events ${Number(options.events) * 4}`);
}

const ACTOR_MARKS: Record<TimeLineItem['actor'], string> = { human: '●', machine: '□', unknown: '◌' };

/** The verdict for every brand in words, with the entries and bounces behind it. */
function verdictLines(check: AddressCheck): string[] {
  const who = check.contact
    ? `${check.contact.name ?? check.address} <${check.address}>, joined ${day(check.contact.joinedAt)}`
    : `${check.address} is no contact of ours.`;
  const entries = check.entries.map(
    (entry) =>
      `  ${entry.liftedAt ? 'lifted' : 'in effect'}: ${entry.value} on “${entry.listName}” since ${day(entry.enteredAt)}: ${entry.reason}${entry.liftedAt ? ` (lifted: ${entry.liftReason})` : ` [entry ${entry.id}]`}`,
  );
  const bounces = check.bounces.map(
    (bounce) =>
      `  ${moment(bounce.at)}  ${bounce.class}  ${bounce.reply ?? ''} (${bounce.campaignName ?? 'no campaign'})`,
  );
  const lists = check.subscriptions
    .filter((row) => row.state !== null)
    .map(
      (row) =>
        `  ${row.listName} (${row.brandName}): ${row.state}${row.endedBy && row.endedBy !== 'contact' ? ` by ${row.endedBy}` : ''} since ${day(row.since)}`,
    );
  return [
    who,
    ...(check.contact ? contactLines(check.contact) : []),
    ...check.brands.flatMap(brandLines),
    ...(lists.length > 0 ? ['Subscriptions', ...lists] : []),
    ...(entries.length > 0 ? ['Suppression entries', ...entries] : []),
    ...(bounces.length > 0 ? ['Bounces', ...bounces] : []),
  ];
}

/** Tags, what an outside verifier said and when, and who took over. */
function contactLines({ tags, verdict, verdictCause, mergedInto }: NonNullable<AddressCheck['contact']>): string[] {
  return [
    ...(tags.length > 0 ? [`Tagged ${tags.join(', ')}.`] : []),
    ...(verdict && verdictCause
      ? [`${verdictCause.source} said on ${day(verdictCause.checkedAt)}: ${verdict} (“${verdictCause.word}”).`]
      : []),
    ...(mergedInto === null ? [] : [`Merged into contact ${mergedInto}.`]),
  ];
}

function cappedLines({ capped }: BrandVerdict): string[] {
  if (capped === null) return [];
  const words = heldByWords({ leftOutBy: null, cappedBy: capped }, moment);
  return [`  capped: ${words}. Marketing again from ${moment(capped.until)}.`];
}

function brandLines(verdict: BrandVerdict): string[] {
  const stage = `${verdict.stage}, ${verdict.silentDays} days of silence with ${verdict.messages} messages in it`;
  if (verdict.eligible) return [`We may write to them for ${verdict.brandName} (${stage}).`, ...cappedLines(verdict)];
  return [
    `We may not write to them for ${verdict.brandName} (${stage}):`,
    ...verdict.because.map(({ reason, text }) => `  ${reason}: ${text}`),
    ...cappedLines(verdict),
  ];
}
