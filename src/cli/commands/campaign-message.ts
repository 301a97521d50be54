import type { Command } from 'commander';
import type { Finding } from '../../shared/contract/messages.ts';
import { findingPlace, findingsHeadline, messageOf } from '../../client/wording/findings.ts';
import { testWords } from '../../client/wording/relay.ts';
import { campaignNamed } from '../names.ts';
import { count, printOne, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';

/** What a campaign says, before it is sent: seen, checked, tried. */
export function addMessageCommands(group: Command): void {
  addPreview(group);
  addCheck(group);
  addTest(group);
}

function addPreview(group: Command): void {
  withOutput(group.command('preview <campaign>').description('the message as one contact would get it'))
    .option('--for <address>', 'contact to write it out for')
    .action(async (name: string, options: OutputOptions & { for?: string }) => {
      const client = connect();
      const preview = await client.preview({ id: (await campaignNamed(client, name)).id, address: options.for });
      printOne(preview, options, ({ message, problems }) => [
        `From: ${message.from.name} <${message.from.address}>`,
        `To: ${message.to}`,
        `Subject: ${message.subject}`,
        ...Object.entries(message.headers).map(([header, value]) => `${header}: ${value}`),
        '',
        message.text,
        ...problems.map((problem) => `! ${problem.field}, character ${problem.at}: ${problem.message}`),
      ]);
      if (preview.problems.length > 0) process.exitCode = 1;
    });
}

function addCheck(group: Command): void {
  withOutput(
    group
      .command('check <campaign>')
      .description('what stops its message, and what is worth a look, each at its place'),
  ).action(async (name: string, options: OutputOptions) => {
    const client = connect();
    const campaign = await client.campaign({ id: (await campaignNamed(client, name)).id });
    const checked = await client.checkTyped(messageOf(campaign));
    printOne(checked, options, ({ findings, readers }) => [
      `${campaign.name}: ${findingsHeadline(findings)}. It is for ${count(readers)}.`,
      ...findings.flatMap(findingLines),
    ]);
    if (checked.findings.some(({ weight }) => weight === 'stops')) process.exitCode = 1;
  });
}

const SIGNS: Record<Finding['weight'], string> = { stops: '✗', look: '!', fine: '✓' };

function findingLines(finding: Finding): string[] {
  const { weight, title, advice } = finding;
  const said = [findingPlace(finding), advice].filter(Boolean).join(': ');
  return [`${SIGNS[weight]} ${title}`, ...(said === '' ? [] : [`    ${said}`])];
}

function addTest(group: Command): void {
  withOutput(
    group
      .command('test <campaign> <address...>')
      .description('send it to up to ten addresses, marked as a test; it is in no ledger and counts nowhere'),
  )
    .option('--as <address>', 'write it with the data of this contact')
    .action(async (name: string, to: string[], options: OutputOptions & { as?: string }) => {
      const client = connect();
      const campaign = await client.campaign({ id: (await campaignNamed(client, name)).id });
      const sent = await client.sendTests({ ...messageOf(campaign), to, address: options.as });
      printOne(sent, options, ({ tests }) =>
        tests.flatMap((one) => [testWords(one, one.to), `  It said: ${one.reply}`]),
      );
      if (sent.tests.some(({ outcome }) => outcome !== 'accepted')) process.exitCode = 1;
    });
}
