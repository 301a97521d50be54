import type { Command } from 'commander';
import type { Storm } from '../../shared/api.ts';
import { count, line, moment, note, printOne, printRows, share, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';

export function addCommands(group: Command): void {
  withOutput(group.command('list').description('hard bounces of a domain that suddenly failed, latest first'))
    .option('--state <state>', 'held, released or dismissed')
    .action(async (options: OutputOptions & { state?: Storm['state'] }) => {
      printRows(await connect().storms(options.state), [
        { head: 'No', cell: (storm) => storm.id, right: true },
        { head: 'Domain', cell: (storm) => storm.domain },
        { head: 'State', cell: (storm) => storm.state },
        { head: 'Contacts', cell: (storm) => storm.contacts, right: true },
        { head: 'Of messages', cell: (storm) => (storm.messages === 0 ? '–' : share(storm.bounces, storm.messages)), right: true },
        { head: 'Since', cell: (storm) => moment(storm.begins) },
        { head: 'They say', cell: (storm) => storm.said },
      ], options, 'No domain has suddenly failed.'); // prettier-ignore
    });
  withOutput(group.command('show <number>').description('one storm, with a sample of the contacts')).action(
    async (id: string, options: OutputOptions) => {
      const storm = await connect().storm(Number(id));
      printOne(storm, options, () => [
        `${storm.domain}: ${count(storm.contacts)} contacts came back hard since ${moment(storm.begins)}, ${storm.state}${storm.decidedBy ? ` by ${storm.decidedBy}: ${storm.reason}` : ''}`,
        ...storm.sample.map((one) => `  ${one.address}  ${one.reply ?? ''}`),
        ...(storm.state === 'held' ? [
          `They are dead: avendel storms release ${storm.id} --expect ${storm.contacts} --reason "…"`,
          `It was an outage: avendel storms dismiss ${storm.id} --reason "…"`,
        ] : []),
      ]); // prettier-ignore
    },
  );
  withOutput(group.command('release <number>').description('the addresses are dead: mark them, as a run'))
    .requiredOption('--expect <number>', 'how many contacts, as “storms show” says')
    .requiredOption('--reason <text>', 'why')
    .action(async (id: string, options: OutputOptions & { expect: string; reason: string }) => {
      const run = await connect().releaseStorm(Number(id), { expect: Number(options.expect), reason: options.reason });
      printOne(run, options, () => [`${count(run.counts['undeliverable'] ?? 0)} marked undeliverable, run ${run.id}.`]);
      if (!options.json && !options.jsonl) note(`Undo: avendel runs undo ${run.id} --reason "…"`);
    });
  group
    .command('dismiss <number>')
    .description('it was an outage: the bounces count against nobody')
    .requiredOption('--reason <text>', 'why')
    .action(async (id: string, options: { reason: string }) => {
      await connect().dismissStorm(Number(id), options.reason);
      line(`Storm ${id} is dismissed; nobody was marked.`);
    });
}
