import type { Command } from 'commander';
import { count, line, printOne, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';

export function addCommands(group: Command): void {
  withOutput(
    group.command('rebuild').description('derive all activity from the events, say what differed, and put it right'),
  ).action(async (options: OutputOptions) => {
    const done = await connect().rebuildActivity();
    printOne(done, options, () => [
      `${count(done.rows)} rows derived anew; ${done.differing === 0 ? 'none differed.' : `${count(done.differing)} contacts differed and were put right: ${done.sample.join(', ')}${done.differing > done.sample.length ? ' …' : ''}`}`,
    ]);
    if (done.differing > 0) process.exitCode = 1;
  });
  withOutput(group.command('proxies').description('image proxies whose opens say nothing: networks and user agents'))
    .option('--network <block>', 'add a network, as 192.0.2.0/24; may be repeated', collect, [])
    .option('--agent <words>', 'add words in a user agent; may be repeated', collect, [])
    .option('--remove <text>', 'take a network or words off; may be repeated', collect, [])
    .action(async (options: OutputOptions & { network: string[]; agent: string[]; remove: string[] }) => {
      const client = connect();
      const kept = await client.proxies();
      const changed = options.network.length + options.agent.length + options.remove.length > 0;
      const without = (list: string[]): string[] => [...new Set(list)].filter((one) => !options.remove.includes(one));
      const list = changed ? await client.saveProxies({ networks: without([...kept.networks, ...options.network]), agents: without([...kept.agents, ...options.agent]) }) : kept; // prettier-ignore
      printOne(list, options, () => [
        `Networks: ${list.networks.join(', ') || 'none'}`,
        `User agents: ${list.agents.join(', ') || 'none'}`,
      ]);
      if (changed && !options.json && !options.jsonl) line('From now on; opens before stay as they were judged.');
    });
}

function collect(value: string, all: string[]): string[] {
  return [...all, value];
}
