import type { Command } from 'commander';
import { printRun } from '../follow-run.ts';
import { count, line, printOne, tableText, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { UsageError } from '../usage-error.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

export function addCommands(group: Command): void {
  addJudge(group);
  addRebuild(group);
  addSites(group);
  addProxies(group);
}

function addJudge(group: Command): void {
  withOutput(
    group
      .command('judge')
      .description(
        'judge stored opens and clicks anew, by the lists and rules of today; without --expect only say what would change',
      ),
  )
    .option('--expect <number>', 'how many acts the preview said would change')
    .option('--reason <text>', 'why')
    .action(judgeAnew);
}

function addRebuild(group: Command): void {
  withOutput(
    group.command('rebuild').description('derive all activity from the events, say what differed, and put it right'),
  ).action(async (options: OutputOptions) => {
    const done = await connect().rebuildActivity();
    printOne(done, options, () => [
      `${count(done.rows)} rows derived anew; ${done.differing === 0 ? 'none differed.' : `${count(done.differing)} contacts differed and were put right: ${done.sample.join(', ')}${done.differing > done.sample.length ? ' …' : ''}`}`,
    ]);
    if (done.differing > 0) process.exitCode = 1;
  });
}

function addSites(group: Command): void {
  withOutput(
    group
      .command('sites')
      .description('your own sites, on which a script tells of visits by people who come from a message'),
  )
    .option('--host <host>', 'add a site, as www.larkfield.example; may be repeated', collect, [])
    .option('--remove <host>', 'take one off; may be repeated', collect, [])
    .action(keepSites);
}

function addProxies(group: Command): void {
  withOutput(group.command('proxies').description('image proxies whose opens say nothing: networks and user agents'))
    .option('--network <block>', 'add a network, as 192.0.2.0/24; may be repeated', collect, [])
    .option('--agent <words>', 'add words in a user agent; may be repeated', collect, [])
    .option('--remove <text>', 'take a network or words off; may be repeated', collect, [])
    .action(async (options: OutputOptions & { network: string[]; agent: string[]; remove: string[] }) => {
      const client = connect();
      const kept = await client.proxies();
      const changed = options.network.length + options.agent.length + options.remove.length > 0;
      const without = (list: string[]): string[] => [...new Set(list)].filter((one) => !options.remove.includes(one));
      const list = changed
        ? await client.saveProxies({
            networks: without([...kept.networks, ...options.network]),
            agents: without([...kept.agents, ...options.agent]),
          })
        : kept;
      printOne(list, options, () => [
        `Networks: ${list.networks.join(', ') || 'none'}`,
        `User agents: ${list.agents.join(', ') || 'none'}`,
      ]);
      if (changed && !options.json && !options.jsonl) line('From now on. Opens before: avendel activity judge');
    });
}

async function keepSites(options: OutputOptions & { host: string[]; remove: string[] }): Promise<void> {
  const client = connect();
  const kept = await client.sites();
  const hosts = [...new Set([...kept.hosts, ...options.host])].filter((host) => !options.remove.includes(host));
  const changed = options.host.length + options.remove.length > 0;
  printOne(changed ? await client.saveSites({ hosts }) : kept, options, (sites) => [
    `Your own sites: ${sites.hosts.join(', ') || 'none'}`,
    `On each of their pages: <script src="${sites.scriptUrl}" defer></script>`,
  ]);
}

async function judgeAnew(options: OutputOptions & { expect?: string; reason?: string }): Promise<void> {
  const client = connect();
  if (options.expect === undefined)
    return printOne(await client.previewRejudging(), options, (preview) => [
      `${count(preview.acts)} opens and clicks of ${count(preview.contacts)} contacts would be judged otherwise.`,
      ...(preview.acts === 0
        ? []
        : [
            '',
            tableText(preview.moves, [
              { head: 'Kind', cell: (row) => row.kind },
              { head: 'From', cell: (row) => row.from },
              { head: 'To', cell: (row) => row.to },
              { head: 'Acts', cell: (row) => count(row.acts), right: true },
            ]),
            '',
            tableText(preview.sample, [
              { head: 'Address', cell: (row) => row.address },
              { head: 'At', cell: (row) => moment(new Date(row.at).toISOString()) },
              { head: 'Kind', cell: (row) => row.kind },
              { head: 'From', cell: (row) => row.from },
              { head: 'To', cell: (row) => row.to },
            ]),
            '',
            `Do it: avendel activity judge --expect ${preview.acts} --reason "…"`,
          ]),
    ]);
  if (options.reason === undefined) throw new UsageError('Say why: --reason "…".');
  await printRun(
    client,
    await client.rejudgeActs({ expect: Number(options.expect), reason: options.reason }),
    options,
    (run) => [
      `Run ${run.id}: ${count(run.counts['acts'] ?? 0)} acts of ${count(run.counts['contacts'] ?? 0)} contacts judged anew. Undo: avendel runs undo ${run.id} --reason "…"`,
    ],
  );
}

function collect(value: string, all: string[]): string[] {
  return [...all, value];
}
