import { Command, CommanderError } from 'commander';
import { visible } from '../core/text/visible.ts';
import { reportError } from './errors.ts';

/** Groups of commands; each is loaded only when it is called, so that `--help` answers at once. */
const GROUPS: { name: string; summary: string; load: () => Promise<{ addCommands(group: Command): void }> }[] = [
  {
    name: 'brands',
    summary: 'brands: sender identities of the organisation',
    load: () => import('./commands/brands.ts'),
  },
  { name: 'lists', summary: 'lists that contacts subscribe to', load: () => import('./commands/lists.ts') },
  { name: 'contacts', summary: 'import, find, show and check contacts', load: () => import('./commands/contacts.ts') },
  { name: 'imports', summary: 'imports: progress, outcome, result files', load: () => import('./commands/imports.ts') },
  {
    name: 'segments',
    summary: 'segments and conditions: count, explain, sample, keep, export',
    load: () => import('./commands/segments.ts'),
  },
  {
    name: 'campaigns',
    summary: 'create, preflight, send and report campaigns',
    load: () => import('./commands/campaigns.ts'),
  },
  {
    name: 'exclusions',
    summary: 'standing exclusions: whom every marketing campaign leaves out',
    load: () => import('./commands/exclusions.ts'),
  },
  {
    name: 'caps',
    summary: 'caps: how many marketing messages one contact gets at most',
    load: () => import('./commands/caps.ts'),
  },
  {
    name: 'brake',
    summary: 'the brake: from which rates on campaigns are stopped',
    load: () => import('./commands/brake.ts'),
  },
  {
    name: 'suppression',
    summary: 'suppression lists and their entries',
    load: () => import('./commands/suppression.ts'),
  },
  {
    name: 'rules',
    summary: 'the sunset rule and the bounce rule: show, preview, apply',
    load: () => import('./commands/rules.ts'),
  },
  {
    name: 'sign-ups',
    summary: 'who signed up, who waits to confirm, with proof',
    load: () => import('./commands/sign-ups.ts'),
  },
  {
    name: 'addresses',
    summary: 'check addresses before they are taken in, find slips among ours and mend them',
    load: () => import('./commands/addresses.ts'),
  },
  {
    name: 'verifications',
    summary: 'what outside verifiers say of addresses, and what to do about it',
    load: () => import('./commands/verifications.ts'),
  },
  { name: 'runs', summary: 'runs: what was changed, and undo', load: () => import('./commands/runs.ts') },
  {
    name: 'retention',
    summary: 'for how many days networks, messages that came back and files are kept',
    load: () => import('./commands/retention.ts'),
  },
  { name: 'returns', summary: 'messages that came back', load: () => import('./commands/returns.ts') },
  {
    name: 'mailboxes',
    summary: 'IMAP mailboxes that returns are fetched from',
    load: () => import('./commands/mailboxes.ts'),
  },
  {
    name: 'relay',
    summary: 'the servers that messages are handed to: which brand uses which, check one, send a test message',
    load: () => import('./commands/relay.ts'),
  },
  {
    name: 'dkim',
    summary: 'signing: the keys of a brand, and what its domains need in the DNS',
    load: () => import('./commands/dkim.ts'),
  },
  {
    name: 'storms',
    summary: 'domains that suddenly failed: their hard bounces, held until released or dismissed',
    load: () => import('./commands/storms.ts'),
  },
  {
    name: 'machines',
    summary: 'addresses that look automated: list, preview, mark, judge',
    load: () => import('./commands/machines.ts'),
  },
  {
    name: 'activity',
    summary: 'derive activity anew from the events, judge acts anew, whose opens say nothing',
    load: () => import('./commands/activity.ts'),
  },
  {
    name: 'tallies',
    summary: 'counts of what is sent and what came of it: how far they are, and whether they are right',
    load: () => import('./commands/tallies.ts'),
  },
  { name: 'events', summary: 'events from other systems', load: () => import('./commands/events.ts') },
  {
    name: 'access',
    summary: 'API tokens and your password',
    load: () => import('./commands/access.ts'),
  },
];

async function main(): Promise<number> {
  const program = new Command('avendel').description(
    'Keeps suppression lists, applies sunset and bounce rules, sends campaigns to who may be written to.',
  );
  program.configureOutput({ outputError: (text, write) => write(visible(text)) }).exitOverride();
  const wanted = process.argv[2];
  for (const { name, summary, load } of GROUPS) {
    const group = program.command(name).description(summary);
    if (wanted === name) (await load()).addCommands(group);
  }
  if (wanted === 'sign-in') (await import('./commands/sign-in.ts')).addSignIn(program);
  else program.command('sign-in').description('sign in to the service and keep a token');
  if (wanted === 'today') (await import('./commands/today.ts')).addToday(program);
  else program.command('today').description('what changed since yesterday, and what needs a look');
  // bin/avendel has it done before anything of this is read.
  program
    .command('service')
    .description(
      'run the service, until it is told to stop; its settings are environment variables (docs/settings.md)',
    );
  inheritExit(program);
  program.hook('preAction', (_, action) => learnZoneFor(action.opts()));
  try {
    await program.parseAsync();
    return process.exitCode === undefined ? 0 : Number(process.exitCode);
  } catch (error) {
    if (error instanceof CommanderError) return error.exitCode === 0 ? 0 : 2;
    return reportError(error);
  }
}

/** For what people read. What keeps the service from answering, the command itself will say. */
async function learnZoneFor({
  brand,
  json,
  jsonl,
}: {
  brand?: string;
  json?: boolean;
  jsonl?: boolean;
}): Promise<void> {
  if (json === true || jsonl === true || process.argv[2] === 'sign-in') return;
  try {
    const [{ connect }, { learnZone }] = await Promise.all([import('./sign-in-file.ts'), import('./zone.ts')]);
    await learnZone(connect(), brand);
  } catch {
    return;
  }
}

function inheritExit(command: Command): void {
  for (const child of command.commands) {
    child.exitOverride();
    child.showHelpAfterError('(--help says how it is used)');
    inheritExit(child);
  }
}

// A reader that has seen enough, as `head`, is no failure.
process.stdout.on('error', (error: NodeJS.ErrnoException) => process.exit(error.code === 'EPIPE' ? 0 : 1));
process.exitCode = await main();
