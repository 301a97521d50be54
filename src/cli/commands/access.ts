import type { Command } from 'commander';
import { moment, note, printOne, line, type OutputOptions } from '../output.ts';
import { findPassword } from '../password.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';

export function addCommands(group: Command): void {
  withPaging(
    withOutput(group.command('tokens').description('API tokens, latest first: what may speak to the service as you')),
  ).action(async (options: OutputOptions & PagingOptions) => {
    printPage(await connect().tokens(pageOf(options)), [
        { head: 'No', cell: (token) => token.id, right: true },
        { head: 'For', cell: (token) => token.name },
        { head: 'Made', cell: (token) => moment(token.createdAt) },
        { head: 'Last used', cell: (token) => moment(token.lastUsedAt) || 'never' },
        { head: 'Revoked', cell: (token) => moment(token.revokedAt) },
      ], options, 'There is no API token yet.'); // prettier-ignore
  });
  withOutput(group.command('new-token <name>').description('make an API token for a program; it is shown once'))
    .option('--password-file <file>', 'file that holds your password; else AVENDEL_PASSWORD, else it is asked for')
    .action(async (name: string, options: OutputOptions & { passwordFile?: string }) => {
      const client = connect();
      const { email } = await client.session();
      const password = await findPassword(options.passwordFile, 'AVENDEL_PASSWORD', 'Password: ');
      const made = await client.createToken(email, password, name);
      printOne(made, options, ({ token }) => [token]);
      note('This is the only time it is shown. Programs send it as “Authorization: Bearer …”, or have it in AVENDEL_TOKEN.'); // prettier-ignore
    });
  group
    .command('revoke <number>')
    .description('end an API token at once and for good')
    .action(async (number: string) => {
      await connect().revokeToken(Number(number));
      line(`API token ${number} is revoked.`);
    });
  group
    .command('password')
    .description('change your password, and end your sessions in browsers; API tokens go on')
    .option('--password-file <file>', 'file that holds the present one; else AVENDEL_PASSWORD, else it is asked for')
    .option(
      '--new-password-file <file>',
      'file that holds the new one; else AVENDEL_NEW_PASSWORD, else it is asked for',
    )
    .action(async (options: { passwordFile?: string; newPasswordFile?: string }) => {
      const present = await findPassword(options.passwordFile, 'AVENDEL_PASSWORD', 'Present password: ');
      const next = await findPassword(options.newPasswordFile, 'AVENDEL_NEW_PASSWORD', 'New password: ');
      await connect().changePassword(present, next);
      line('The password is changed. Whoever was signed in in a browser has to sign in again.');
    });
}
