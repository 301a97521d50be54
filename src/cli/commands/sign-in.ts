import type { Command } from 'commander';
import { makeClient } from '../../client/client.ts';
import { line } from '../output.ts';
import { findPassword } from '../password.ts';
import { keepSignIn, serviceAddress } from '../sign-in-file.ts';

export function addSignIn(program: Command): void {
  program
    .command('sign-in')
    .description('sign in to the service and keep a token')
    .requiredOption('--email <address>', 'address of the account')
    .option('--password-file <file>', 'file that holds the password; else AVENDEL_PASSWORD, else it is asked for')
    .action(async ({ email, passwordFile }: { email: string; passwordFile?: string }) => {
      const service = serviceAddress();
      const password = await findPassword(passwordFile, 'AVENDEL_PASSWORD', 'Password: ');
      const { token, account } = await makeClient({ base: service }).createToken({
        email,
        password,
        name: 'command line',
        scope: 'administer',
      });
      line(`Signed in as ${account} at ${service}. The token is kept in ${keepSignIn({ service, token })}.`);
    });
}
