import type { Command } from 'commander';
import type { Storm } from '../../shared/contract/storms.ts';
import { count, line, note, printOne, printRows, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

export function addCommands(group: Command): void {
  addList(group);
  addShow(group);
  addRelease(group);
  addRule(group);
  addDismiss(group);
}

function addList(group: Command): void {
  withOutput(group.command('list').description('hard bounces of a domain that suddenly failed, latest first'))
    .option('--state <state>', 'held, released or dismissed')
    .action(async (options: OutputOptions & { state?: Storm['state'] }) => {
      printRows(
        await connect().storms({ state: options.state }),
        [
          { head: 'No', cell: (storm) => storm.id, right: true },
          { head: 'Domain', cell: (storm) => storm.domain },
          { head: 'State', cell: (storm) => storm.state },
          { head: 'Contacts', cell: (storm) => storm.contacts, right: true },
          { head: 'Since', cell: (storm) => moment(storm.begins) },
          { head: 'They say', cell: (storm) => storm.said },
        ],
        options,
        'No domain has suddenly failed.',
      );
    });
}

function addShow(group: Command): void {
  withOutput(group.command('show <number>').description('one storm, with a sample of the contacts')).action(
    async (id: string, options: OutputOptions) => {
      const storm = await connect().storm({ id: Number(id) });
      printOne(storm, options, () => [
        `${storm.domain}: ${count(storm.contacts)} contacts came back hard (${count(storm.bounces)} of ${count(storm.messages)} messages) since ${moment(storm.begins)}, ${storm.state}${storm.decidedBy ? ` by ${storm.decidedBy}: ${storm.reason}` : ''}`,
        ...storm.sample.map((one) => `  ${one.address}  ${one.reply ?? ''}`),
        ...(storm.state === 'held'
          ? [
              `They are dead: avendel storms release ${storm.id} --expect ${storm.contacts} --reason "…"`,
              `It was an outage: avendel storms dismiss ${storm.id} --reason "…"`,
            ]
          : []),
      ]);
    },
  );
}

function addRelease(group: Command): void {
  withOutput(group.command('release <number>').description('the addresses are dead: mark them, as a run'))
    .requiredOption('--expect <number>', 'how many contacts, as “storms show” says')
    .requiredOption('--reason <text>', 'why')
    .action(async (id: string, options: OutputOptions & { expect: string; reason: string }) => {
      const run = await connect().releaseStorm({
        id: Number(id),
        expect: Number(options.expect),
        reason: options.reason,
      });
      printOne(run, options, () => [`${count(run.counts['undeliverable'] ?? 0)} marked undeliverable, run ${run.id}.`]);
      if (!options.json && !options.jsonl) note(`Undo: avendel runs undo ${run.id} --reason "…"`);
    });
}

function addRule(group: Command): void {
  withOutput(group.command('rule').description('when the hard bounces of a domain are held; with options, change it'))
    .option('--share <percent>', 'more than this share of the domain’s messages of an hour came back hard')
    .option('--least <number>', 'and at least so many')
    .option('--days <number>', 'though it took mail in so many days before')
    .action(async (options: OutputOptions & { share?: string; least?: string; days?: string }) => {
      const client = connect();
      const change = {
        ...(options.share === undefined ? {} : { share: Number(options.share) / 100 }),
        ...(options.least === undefined ? {} : { least: Number(options.least) }),
        ...(options.days === undefined ? {} : { days: Number(options.days) }),
      };
      const rule = Object.keys(change).length > 0 ? await client.saveStormRule(change) : await client.stormRule();
      printOne(rule, options, () => [
        `Held when more than ${rule.share * 100} % of a domain's messages of an hour, and at least ${rule.least}, came back hard, though it took mail in the ${rule.days} days before.`,
      ]);
    });
}

function addDismiss(group: Command): void {
  group
    .command('dismiss <number>')
    .description('it was an outage: the bounces count against nobody')
    .requiredOption('--reason <text>', 'why')
    .action(async (id: string, options: { reason: string }) => {
      await connect().dismissStorm({ id: Number(id), reason: options.reason });
      line(`Storm ${id} is dismissed; nobody was marked.`);
    });
}
