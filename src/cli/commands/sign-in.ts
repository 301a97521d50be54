import { readFileSync } from 'node:fs';
import { createInterface } from 'node:readline/promises';
import type { Command } from 'commander';
import { makeClient } from '../../client/client.ts';
import { UsageError } from '../usage-error.ts';
import { line } from '../output.ts';
import { keepSignIn, serviceAddress } from '../sign-in-file.ts';

export function addSignIn(program: Command): void {
  program
    .command('sign-in')
    .description('sign in to the service and keep a token')
    .requiredOption('--email <address>', 'address of the account')
    .option('--password-file <file>', 'file that holds the password; else AVENDEL_PASSWORD, else it is asked for')
    .action(async ({ email, passwordFile }: { email: string; passwordFile?: string }) => {
      const service = serviceAddress();
      const { token, account } = await makeClient({ base: service }).createToken(
        email,
        await findPassword(passwordFile),
        'command line',
      );
      line(`Signed in as ${account} at ${service}. The token is kept in ${keepSignIn({ service, token })}.`);
    });
}

async function findPassword(file: string | undefined): Promise<string> {
  if (file !== undefined) return readFileSync(file, 'utf8').trim();
  const given = process.env['AVENDEL_PASSWORD'];
  if (given !== undefined) return given;
  if (!process.stdin.isTTY) throw new UsageError('Give the password with --password-file or AVENDEL_PASSWORD.');
  const prompt = createInterface({ input: process.stdin, output: process.stderr });
  try {
    return await prompt.question('Password: ');
  } finally {
    prompt.close();
  }
}
