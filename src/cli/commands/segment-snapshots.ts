import type { Command } from 'commander';
import type { Client } from '../../client/client.ts';
import type { Snapshot } from '../../shared/contract/segments.ts';
import { withCondition } from '../condition-problems.ts';
import { brandNamed, segmentNamed } from '../names.ts';
import { count, line, note, printOne, printRows, tableText, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

const collect = (value: string, all: string[]): string[] => [...all, value];

/** `segments compare`: conditions counted side by side. */
export function addComparing(group: Command): void {
  withOutput(
    group
      .command('compare')
      .description('count conditions side by side, each less the same others: how an audience grows as it is widened'),
  )
    .option('--where <condition>', 'a condition; repeat it for each', collect, [])
    .option('--segment <segment>', 'a segment in its place; repeat it for each', collect, [])
    .option('--without <segment>', 'a segment left out of each; may be repeated', collect, [])
    .option('--brand <brand>', 'the brand for which it is asked')
    .action(
      async (options: OutputOptions & { where: string[]; segment: string[]; without: string[]; brand?: string }) => {
        const client = connect();
        const brand = await brandNamed(client, options.brand);
        const named = (names: string[]): Promise<string[]> =>
          Promise.all(names.map(async (name) => `segment "${(await segmentNamed(client, name, brand.id)).name}"`));
        const conditions = [...options.where, ...(await named(options.segment))];
        if (conditions.length === 0) throw new UsageError('Say what to compare: --where or --segment, once for each.');
        const without = await named(options.without);
        const rows = await withCondition(conditions.length === 1 ? conditions[0]! : '', () =>
          client.compareConditions({ brandId: brand.id, conditions, without }),
        );
        printRows(
          rows,
          [
            { head: 'Condition', cell: (row) => row.condition.replace(/\s+/g, ' ') },
            { head: 'Match', cell: (row) => count(row.matching), right: true },
            ...(without.length > 0
              ? [{ head: 'Less those left out', cell: (row: { left: number }) => count(row.left), right: true }]
              : []),
            { head: 'May be mailed', cell: (row) => count(row.mailable), right: true },
          ],
          options,
          'Nothing to compare.',
        );
      },
    );
}

/** `segments freeze`, `snapshots`, `changes` and `forget`. */
export function addKeeping(group: Command): void {
  addFreeze(group);
  addSnapshots(group);
  addChanges(group);
  addForget(group);
}

function addFreeze(group: Command): void {
  withOutput(group.command('freeze <segment>').description('keep who matches now, as a snapshot'))
    .option('--name <name>', 'what to call it; else by the segment and the instant')
    .option('--brand <brand>', 'its brand')
    .action(async (name: string, options: OutputOptions & { name?: string; brand?: string }) => {
      const client = connect();
      const brand = options.brand === undefined ? undefined : await brandNamed(client, options.brand);
      const kept = await client.freezeSegment({
        id: (await segmentNamed(client, name, brand?.id)).id,
        name: options.name,
      });
      printOne(kept, options, () => [
        `Snapshot ${kept.id}, “${kept.name}”: ${count(kept.contacts)} contacts.`,
        `What changes since: avendel segments changes ${kept.id}`,
      ]);
    });
}

function addSnapshots(group: Command): void {
  withOutput(group.command('snapshots').description('snapshots, latest first'))
    .option('--brand <brand>', 'of this brand')
    .action(async (options: OutputOptions & { brand?: string }) => {
      const client = connect();
      const brandId = options.brand === undefined ? undefined : (await brandNamed(client, options.brand)).id;
      printRows(
        await client.snapshots({ brandId }),
        [
          { head: 'No', cell: (row) => row.id, right: true },
          { head: 'Snapshot', cell: (row) => row.name },
          { head: 'Contacts', cell: (row) => count(row.contacts), right: true },
          { head: 'Frozen', cell: (row) => moment(row.takenAt) },
          { head: 'By', cell: (row) => row.takenBy },
        ],
        options,
        'There is no snapshot yet: avendel segments freeze SEGMENT',
      );
    });
}

function addChanges(group: Command): void {
  withOutput(group.command('changes <snapshot>').description('who came in and who left since a snapshot'))
    .option('--with <snapshot>', 'until this one; else until now')
    .option('--list <which>', 'name them: came or left')
    .action(showChanges);
}

function addForget(group: Command): void {
  group
    .command('forget <snapshot>')
    .description('delete a snapshot that no segment names')
    .action(async (name: string) => {
      const client = connect();
      const snapshot = await snapshotNamed(client, name);
      await client.removeSnapshot({ id: snapshot.id });
      line(`“${snapshot.name}” is deleted.`);
    });
}

async function snapshotNamed(client: Client, name: string): Promise<Snapshot> {
  const all = await client.snapshots();
  const found = all.find((one) => one.name.toLowerCase() === name.trim().toLowerCase() || String(one.id) === name);
  if (!found)
    throw new UsageError(
      `There is no snapshot “${name}”. There is: ${all.map((one) => one.name).join(', ') || 'none yet'}.`,
      1,
    );
  return found;
}

async function showChanges(name: string, options: OutputOptions & { with?: string; list?: string }): Promise<void> {
  const client = connect();
  const from = await snapshotNamed(client, name);
  const to = options.with === undefined ? undefined : await snapshotNamed(client, options.with);
  if (options.list === undefined) {
    printOne(await client.snapshotChange({ id: from.id, with: to?.id }), options, (change) => [
      `Since “${from.name}”, ${moment(from.takenAt)}, until ${to ? `“${to.name}”, ${moment(to.takenAt)}` : 'now'}:`,
      tableText(
        [
          { what: 'Were in it', n: from.contacts },
          { what: '+ came in', n: change.came },
          { what: '− left', n: change.left },
          { what: 'Are in it', n: change.stayed + change.came },
        ],
        [
          { head: '', cell: (row) => row.what },
          { head: 'Contacts', cell: (row) => count(row.n), right: true },
        ],
      ),
    ]);
    return;
  }
  if (options.list !== 'came' && options.list !== 'left') throw new UsageError('--list takes came or left.');
  const page = await client.snapshotChangeContacts({ id: from.id, direction: options.list, with: to?.id, limit: 500 });
  printRows(
    page.items,
    [
      { head: 'Address', cell: (row) => row.address },
      { head: 'Name', cell: (row) => row.name },
    ],
    options,
    `Nobody ${options.list === 'came' ? 'came in' : 'left'}.`,
  );
  if (page.next !== null) note('These are the first 500.');
}
