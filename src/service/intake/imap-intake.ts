import type { Logger } from 'pino';
import type { Deps } from '../../operations/deps.ts';
import {
  claimMailbox,
  listMailboxes,
  noteTrouble,
  releaseMailboxes,
  type MailboxRow,
} from '../../store/statements/mailboxes.ts';
import type { ProcessId } from '../process-identity.ts';
import { startLoop, type Loop } from '../workers/loop.ts';
import { readMailbox, SignInRefused } from './mailbox-session.ts';

const LOOK_EVERY_MS = 2000;
/** Waits after the line broke: doubled each time, up to the longest. A refused sign-in waits the longest at once. */
const FIRST_WAIT_MS = 1000;
const LONGEST_WAIT_MS = 5 * 60_000;

interface Session {
  done: Promise<void>;
  settings: string;
  stop: AbortController;
}

/**
 * Fetches returns from the IMAP mailboxes that are set, each in a session of its own, and each by one process at a
 * time. A mailbox whose settings change is begun anew; one in trouble waits longer and longer, and shows it.
 */
export function startImapIntake(deps: Deps, processId: ProcessId, log: Logger): Loop {
  const sessions = new Map<number, Session>();
  const waits = new Map<number, { settings: string; until: number; next: number }>();
  const claim = async (mailboxId: number): Promise<boolean> => {
    const id = processId();
    return id !== undefined && (await claimMailbox(deps.database, mailboxId, id));
  };
  const begin = (mailbox: MailboxRow, settings: string): void => {
    const stop = new AbortController();
    const goOn = (): Promise<boolean> => claim(mailbox.id);
    const done = readMailbox(deps, mailbox, goOn, stop.signal)
      .then(() => void waits.delete(mailbox.id))
      .catch(async (error: Error) => {
        if (stop.signal.aborted) return;
        const before = waits.get(mailbox.id)?.next ?? FIRST_WAIT_MS;
        const wait = error instanceof SignInRefused ? LONGEST_WAIT_MS : before;
        waits.set(mailbox.id, { settings, until: Date.now() + wait, next: Math.min(before * 2, LONGEST_WAIT_MS) });
        log.warn({ err: error, mailbox: mailbox.name, wait }, 'a mailbox cannot be read');
        await noteTrouble(deps.database, mailbox.id, error.message).catch(() => undefined);
      })
      .finally(() => sessions.delete(mailbox.id));
    sessions.set(mailbox.id, { done, settings, stop });
  };
  const loop = startLoop(log, 'mailboxes', async () => {
    const mailboxes = await listMailboxes(deps.database);
    for (const [id, session] of sessions) {
      const mailbox = mailboxes.find((one) => one.id === id);
      if (!mailbox || mailbox.paused || settingsOf(mailbox) !== session.settings) session.stop.abort();
    }
    for (const mailbox of mailboxes) {
      const settings = settingsOf(mailbox);
      const wait = waits.get(mailbox.id);
      const waiting = wait !== undefined && wait.settings === settings && wait.until > Date.now();
      if (mailbox.paused || sessions.has(mailbox.id) || waiting) continue;
      if (await claim(mailbox.id)) begin(mailbox, settings);
    }
    return LOOK_EVERY_MS;
  });
  return {
    wake: () => loop.wake(),
    async stop() {
      await loop.stop();
      for (const session of sessions.values()) session.stop.abort();
      await Promise.all([...sessions.values()].map((session) => session.done));
      const id = processId();
      if (id !== undefined) await releaseMailboxes(deps.database, id);
    },
  };
}

/** What makes it another session when it changes. */
function settingsOf({ host, port, security, account, folder, changes }: MailboxRow): string {
  return JSON.stringify({ host, port, security, account, folder, changes });
}
