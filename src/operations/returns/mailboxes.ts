import { isLoopback } from '../../core/address/network-block.ts';
import { inTransaction } from '../../store/database.ts';
import { BrandEntity } from '../../store/entities/organisation.ts';
import {
  askToLook,
  deleteMailbox,
  findMailbox,
  findSealedPassword,
  holdMailbox,
  saveMailbox,
  setPaused,
  type MailboxRow,
  listMailboxes,
  type MailboxSettings,
} from '../../store/statements/mailboxes.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';

/**
 * Where a password is sent; it is sealed for that alone, so nobody can have it sent elsewhere by changing the settings.
 */
type Server = Pick<MailboxSettings, 'host' | 'port' | 'account'>;

function purposeOf({ host, port, account }: Server): string {
  return `mailbox ${host.toLowerCase()}:${port} ${account}`;
}

/**
 * Adds an IMAP mailbox, or changes the one of this name, which then goes on where it was. Without a password the one
 * that is kept for the same server and account goes on.
 * @throws Problem not-found; invalid-input where the password is missing, or would go over the network in plain text;
 * wrong-state where the service has no key to keep it with
 */
export async function keepMailbox(
  deps: Deps,
  { password, ...settings }: MailboxSettings & { password?: string },
): Promise<ShownMailbox> {
  if (settings.brandId !== null)
    found(
      await deps.database.getRepository(BrandEntity).findOneBy({ id: settings.brandId }),
      `brand ${settings.brandId}`,
    );
  if (settings.security === 'none' && !isLoopback(settings.host))
    throw new Problem(
      'invalid-input',
      `${settings.host} is not this machine: the password would go there in plain text. Use tls or starttls.`,
      { field: 'security' },
    );
  const id = await inTransaction(deps.database, async (sql) => {
    const before = await holdMailbox(sql, settings.name);
    if (password === undefined && (!before?.password || purposeOf(before) !== purposeOf(settings)))
      throw new Problem(
        'invalid-input',
        before?.password
          ? `The password was given for ${before.account} at ${before.host}:${before.port}. For another server or account it has to be given again.`
          : 'A new mailbox needs its password.',
        { field: 'password' },
      );
    return saveMailbox(sql, settings, password === undefined ? null : sealPassword(deps, settings, password));
  });
  deps.announce('mailbox');
  return shown(await getMailbox(deps, id));
}

function sealPassword({ secrets }: Deps, server: Server, password: string): Buffer {
  if (!secrets)
    throw new Problem(
      'wrong-state',
      'The service has no key to keep passwords with: whoever runs it has to set AVENDEL_SECRET_KEY or AVENDEL_SECRET_KEY_FILE.',
    );
  return secrets.seal(Buffer.from(password), purposeOf(server));
}

/** The password of a mailbox, for its server and account as they are; nothing where it cannot be read. */
export async function findMailboxPassword(
  deps: Deps,
  mailbox: Pick<MailboxRow, 'id'> & Server,
): Promise<string | undefined> {
  const sealed = await findSealedPassword(deps.database, mailbox.id);
  return sealed ? deps.secrets?.open(sealed, purposeOf(mailbox))?.toString('utf8') : undefined;
}

/** A mailbox as people see it, without how far it was read. */
export type ShownMailbox = Omit<MailboxRow, 'changes' | 'uidValidity' | 'lastUid'>;

const shown = ({ changes: _changes, uidValidity: _validity, lastUid: _last, ...rest }: MailboxRow): ShownMailbox =>
  rest;

async function getMailbox(deps: Deps, id: number): Promise<MailboxRow> {
  return found(await findMailbox(deps.database, id), `mailbox ${id}`);
}

/** Every mailbox, in the order they were added. */
export async function listShownMailboxes(deps: Deps): Promise<ShownMailbox[]> {
  return (await listMailboxes(deps.database)).map(shown);
}

/** Stops fetching from a mailbox, or goes on. @throws Problem not-found */
export async function pauseMailbox(deps: Deps, id: number, paused: boolean): Promise<ShownMailbox> {
  await setPaused(deps.database, id, paused);
  return shown(await getMailbox(deps, id));
}

/** Has a mailbox looked into now, also where it waits after trouble. @throws Problem not-found, wrong-state */
export async function lookIntoMailbox(deps: Deps, id: number): Promise<ShownMailbox> {
  const mailbox = await getMailbox(deps, id);
  if (!(await askToLook(deps.database, id)))
    throw new Problem('wrong-state', `${mailbox.name} is paused: nothing is fetched from it.`);
  deps.announce('mailbox');
  return shown(await getMailbox(deps, id));
}

/** Forgets a mailbox; what was fetched from it stays. @throws Problem not-found */
export async function removeMailbox(deps: Deps, id: number): Promise<void> {
  if (!(await deleteMailbox(deps.database, id))) throw new Problem('not-found', `There is no mailbox ${id}.`);
}
