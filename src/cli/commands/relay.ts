import type { Command } from 'commander';
import { brandNamed } from '../names.ts';
import { printOne, type OutputOptions } from '../output.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';
import { relayWords, testWords } from '../../client/wording/relay.ts';

export function addCommands(group: Command): void {
  withOutput(group.command('check').description('speak to the relay, without sending anything')).action(
    async (options: OutputOptions) => {
      const answer = await connect().checkRelay();
      printOne(answer, options, () => [relayWords(answer), `It said: ${answer.said}`]);
      if (!answer.answers) process.exitCode = 1;
    },
  );
  withOutput(
    group
      .command('test <address>')
      .description('send a test message to one address; it belongs to no campaign and counts nowhere'),
  )
    .option('--brand <brand>', 'brand it comes from')
    .action(async (to: string, options: OutputOptions & { brand?: string }) => {
      const client = connect();
      const brand = await brandNamed(client, options.brand);
      const answer = await client.sendTest({ brandId: brand.id, to });
      printOne(answer, options, () => [testWords(answer, to), `It said: ${answer.reply}`]);
      if (answer.outcome !== 'accepted') process.exitCode = 1;
    });
}
