import type { Command } from 'commander';
import { TOKEN_SCOPE_WORDS, TOKEN_SCOPES, type TokenScope } from '../../shared/access.ts';
import { note, printOne, printRows, line, type OutputOptions } from '../output.ts';
import { findPassword } from '../password.ts';
import { pageOf, printPage, withPaging, type PagingOptions } from '../paging.ts';
import { connect } from '../sign-in-file.ts';
import { withOutput } from '../with-output.ts';
import { moment } from '../zone.ts';

export function addCommands(group: Command): void {
  addTokens(group);
  addNewToken(group);
  addRevoke(group);
  addSessions(group);
  addEndSession(group);
  addRotateKeys(group);
  addPassword(group);
}

function addTokens(group: Command): void {
  withPaging(
    withOutput(group.command('tokens').description('API tokens, latest first: what may speak to the service as you')),
  ).action(async (options: OutputOptions & PagingOptions) => {
    printPage(
      await connect().tokens(pageOf(options)),
      [
        { head: 'No', cell: (token) => token.id, right: true },
        { head: 'For', cell: (token) => token.name },
        { head: 'May', cell: (token) => token.scope },
        { head: 'Made', cell: (token) => moment(token.createdAt) },
        { head: 'Last used', cell: (token) => moment(token.lastUsedAt) || 'never' },
        {
          head: 'Ends',
          cell: (token) => (token.revokedAt ? `revoked ${moment(token.revokedAt)}` : moment(token.expiresAt)),
        },
      ],
      options,
      'There is no API token yet.',
    );
  });
}

function addNewToken(group: Command): void {
  withOutput(group.command('new-token <name>').description('make an API token for a program; it is shown once'))
    .option(
      '--may <scope>',
      `what it may do: ${TOKEN_SCOPES.map((scope) => `${scope} (${TOKEN_SCOPE_WORDS[scope]})`).join('; ')}`,
      'read',
    )
    .option('--until <date>', 'from then on it opens nothing, as 2027-01-31 or an instant; without it, it has no end')
    .option('--password-file <file>', 'file that holds your password; else AVENDEL_PASSWORD, else it is asked for')
    .action(async (name: string, options: OutputOptions & { passwordFile?: string; may: string; until?: string }) => {
      const client = connect();
      const { email } = await client.session();
      const password = await findPassword(options.passwordFile, 'AVENDEL_PASSWORD', 'Password: ');
      const made = await client.createToken({
        email,
        password,
        name,
        scope: options.may as TokenScope,
        expiresAt: options.until ?? null,
      });
      printOne(made, options, ({ token }) => [token]);
      note(
        'This is the only time it is shown. Programs send it as “Authorization: Bearer …”, or have it in AVENDEL_TOKEN.',
      );
    });
}

function addRevoke(group: Command): void {
  group
    .command('revoke <number>')
    .description('end an API token at once and for good')
    .action(async (number: string) => {
      await connect().revokeToken({ id: Number(number) });
      line(`API token ${number} is revoked.`);
    });
}

function addSessions(group: Command): void {
  withOutput(
    group.command('sessions').description('browsers that you are signed in with, the latest used first'),
  ).action(async (options: OutputOptions) => {
    printRows(
      await connect().sessions(),
      [
        { head: 'No', cell: (session) => session.id, right: true },
        { head: 'Since', cell: (session) => moment(session.createdAt) },
        { head: 'Last used', cell: (session) => moment(session.lastSeenAt) },
        { head: 'From', cell: (session) => session.network ?? '' },
        { head: 'By', cell: (session) => session.userAgent ?? '' },
      ],
      options,
      'You are signed in with no browser.',
    );
  });
}

function addEndSession(group: Command): void {
  group
    .command('end-session <number>')
    .description('sign one of these browsers out')
    .action(async (number: string) => {
      await connect().endSession({ id: Number(number) });
      line(`Session ${number} has ended.`);
    });
}

function addRotateKeys(group: Command): void {
  withOutput(
    group
      .command('rotate-keys')
      .description(
        'make a new key that the tokens in messages are signed with; those in messages that are out stay valid',
      ),
  ).action(async (options: OutputOptions) => {
    printOne(await connect().rotateKeys(), options, ({ version, activeAt }) => [
      `Signing key ${version} is made. Messages are signed with it from ${moment(activeAt)}; what was signed before stays valid.`,
    ]);
  });
}

function addPassword(group: Command): void {
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
      await connect().changePassword({ password: present, newPassword: next });
      line('The password is changed. Whoever was signed in in a browser has to sign in again.');
    });
}
