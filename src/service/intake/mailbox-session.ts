import { setTimeout as delay } from 'node:timers/promises';
import { ImapFlow } from 'imapflow';
import { isLoopback } from '../../core/address/network-block.ts';
import { MAX_MESSAGE_BYTES } from '../../core/returns/limits.ts';
import type { Deps } from '../../operations/deps.ts';
import { findMailboxPassword } from '../../operations/returns/mailboxes.ts';
import { receiveReturns, type ReceivedReturn } from '../../operations/returns/receive-return.ts';
import type { Afterwards } from '../../shared/contract/mailboxes.ts';
import { findMailbox, noteMailbox, type MailboxRow } from '../../store/statements/mailboxes.ts';

/**
 * While a mailbox idles, it is looked into this often all the same: a server may forget to tell (RFC 2177 wants a new
 * IDLE within 29 minutes).
 */
const IDLE_LOOK_MS = 5 * 60_000;
const SOCKET_TIMEOUT_MS = 10 * 60_000;
/** Whether the mailbox is still ours, paused or changed, is looked at this often while nothing comes. */
const RENEW_MS = 20_000;

/** Wrong account or password: asking again soon would only lock the account. */
export class SignInRefused extends Error {}

/**
 * Signs in to a mailbox and reads it until the line breaks, `goOn` says no, or it is told to stop. Each message is
 * handed on before its number is noted: whatever breaks, it comes again and is known by its digest, so it counts once.
 */
export async function readMailbox(
  deps: Deps,
  mailbox: MailboxRow,
  goOn: () => Promise<boolean>,
  signal: AbortSignal,
): Promise<void> {
  const password = await findMailboxPassword(deps, mailbox);
  if (password === undefined)
    throw new SignInRefused('Its password has to be given again: none is kept, or it was encrypted with another key.');
  const client = makeImapClient(mailbox, password);
  let broken: Error | undefined;
  const closed = new Promise<void>((resolve) => client.on('close', resolve));
  client.on('error', (error: Error) => (broken = error));
  const stop = (): void => client.close();
  signal.addEventListener('abort', stop);
  try {
    await signIn(client);
    const opened = await client.mailboxOpen(mailbox.folder);
    const known = mailbox.uidValidity === Number(opened.uidValidity);
    const place = { lastUid: known ? mailbox.lastUid : 0 };
    await noteMailbox(deps.database, mailbox.id, { uidValidity: Number(opened.uidValidity), lastUid: place.lastUid });
    while (!signal.aborted && client.usable && (await goOn())) {
      await takeNew(deps, client, mailbox, place, goOn);
      await newsOrTime(client, mailbox, closed, goOn);
    }
    if (broken) throw broken;
  } finally {
    signal.removeEventListener('abort', stop);
    client.close();
  }
}

function makeImapClient({ host, port, security, account }: MailboxRow, password: string): ImapFlow {
  if (security === 'none' && !isLoopback(host))
    throw new SignInRefused(`${host} is not this machine: the password would go there in plain text.`);
  return new ImapFlow({
    host,
    port,
    secure: security === 'tls',
    doSTARTTLS: security === 'starttls' ? true : security === 'none' ? false : undefined,
    auth: { user: account, pass: password },
    logger: false,
    disableAutoIdle: true,
    socketTimeout: SOCKET_TIMEOUT_MS,
    clientInfo: { name: 'Avendel' },
  });
}

async function signIn(client: ImapFlow): Promise<void> {
  try {
    await client.connect();
  } catch (error) {
    const { authenticationFailed, responseText } = error as { authenticationFailed?: boolean; responseText?: string };
    if (authenticationFailed)
      throw new SignInRefused(
        `The server refuses the account or its password: ${responseText ?? 'it does not say why'}.`,
      );
    throw error;
  }
}

/** Reads what came after the last number that was noted. */
async function takeNew(
  deps: Deps,
  client: ImapFlow,
  mailbox: MailboxRow,
  place: { lastUid: number },
  goOn: () => Promise<boolean>,
): Promise<void> {
  const found = (await client.search({ uid: `${place.lastUid + 1}:*` }, { uid: true })) || [];
  // `n:*` names the last message even when its number is below n.
  const fresh = found.filter((uid) => uid > place.lastUid).sort((a, b) => a - b);
  await noteMailbox(deps.database, mailbox.id, { waiting: fresh.length });
  // As they are now: what was changed a moment ago holds for what comes after it.
  const { brandId, afterwards } = (await findMailbox(deps.database, mailbox.id)) ?? mailbox;
  for (const [index, uid] of fresh.entries()) {
    if (index % 100 === 99 && !(await goOn())) return;
    const message = await client.fetchOne(String(uid), { source: { maxLength: MAX_MESSAGE_BYTES } }, { uid: true });
    // Somebody else may have taken it out meanwhile.
    if (message && message.source) {
      const [{ state }] = (await receiveReturns(deps, message.source, [''], brandId)) as [ReceivedReturn];
      const outcome = state === 'noted' || state === 'unmatched' ? state : 'counted';
      await actAfterwards(client, uid, afterwards[outcome]);
    }
    place.lastUid = uid;
    await noteMailbox(deps.database, mailbox.id, { lastUid: uid, waiting: fresh.length - index - 1, processed: 1 });
  }
}

async function actAfterwards(client: ImapFlow, uid: number, act: Afterwards['counted']): Promise<void> {
  if (act === 'delete') await client.messageDelete(String(uid), { uid: true });
  else if (act === 'flag') await client.messageFlagsAdd(String(uid), ['\\Seen', '\\Flagged'], { uid: true });
  else if (act.startsWith('move:')) await moveTo(client, uid, act.slice('move:'.length));
}

async function moveTo(client: ImapFlow, uid: number, folder: string): Promise<void> {
  if (await client.messageMove(String(uid), folder, { uid: true })) return;
  await client.mailboxCreate(folder);
  if (!(await client.messageMove(String(uid), folder, { uid: true })))
    throw new Error(`The server does not move messages to the folder ${folder}.`);
}

/** Waits until the server says that something came, the time for the next look is there, or the line is gone. */
async function newsOrTime(
  client: ImapFlow,
  { idles, pollSeconds }: MailboxRow,
  closed: Promise<void>,
  goOn: () => Promise<boolean>,
): Promise<void> {
  const timer = new AbortController();
  let news = (): void => undefined;
  const came = new Promise<void>((resolve) => (news = resolve));
  client.once('exists', news);
  const until = Date.now() + (idles ? IDLE_LOOK_MS : pollSeconds * 1000);
  if (idles) void client.idle().catch(() => undefined);
  let waiting = true;
  void came.then(() => (waiting = false));
  void closed.then(() => (waiting = false));
  while (waiting && Date.now() < until) {
    const pause = delay(Math.min(RENEW_MS, until - Date.now()), undefined, { signal: timer.signal }).catch(
      () => undefined,
    );
    await Promise.race([came, closed, pause]);
    if (waiting && !(await goOn())) break;
  }
  timer.abort();
  client.off('exists', news);
}
