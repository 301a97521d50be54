import { BrandEntity } from '../../store/entities/organisation.ts';
import {
  deleteMailbox,
  findMailbox,
  saveMailbox,
  setPaused,
  type MailboxRow,
  type MailboxSettings,
} from '../../store/statements/mailboxes.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';

/** Adds an IMAP mailbox, or changes the one of this name, which then goes on where it was. @throws Problem not-found */
export async function keepMailbox(deps: Deps, settings: MailboxSettings): Promise<MailboxRow> {
  if (settings.brandId !== null)
    found(await deps.database.getRepository(BrandEntity).findOneBy({ id: settings.brandId }), `brand ${settings.brandId}`); // prettier-ignore
  const id = await saveMailbox(deps.database, settings);
  deps.announce('mailbox');
  return found(await findMailbox(deps.database, id), `mailbox ${id}`);
}

/** Stops fetching from a mailbox, or goes on. @throws Problem not-found */
export async function pauseMailbox(deps: Deps, id: number, paused: boolean): Promise<MailboxRow> {
  await setPaused(deps.database, id, paused);
  return found(await findMailbox(deps.database, id), `mailbox ${id}`);
}

/** Forgets a mailbox; what was fetched from it stays. @throws Problem not-found */
export async function removeMailbox(deps: Deps, id: number): Promise<void> {
  if (!(await deleteMailbox(deps.database, id))) throw new Problem('not-found', `There is no mailbox ${id}.`);
}
