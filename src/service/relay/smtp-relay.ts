import { Readable } from 'node:stream';
import SMTPConnection from 'nodemailer/lib/smtp-connection/index.js';
import type { WrittenMessage } from '../../core/message/compile-message.ts';
import type { Handover, Relay } from '../../operations/relay/relay.ts';
import type { RelayAnswer } from '../../shared/contract/relay.ts';
import { makeMimeBuilder } from './mime-skeleton.ts';
import type { RelayServer } from './relay-server.ts';
import { signMessage } from './sign-message.ts';
import { replyOf, type SmtpError } from './trouble-words.ts';

/** How long a relay may take, in milliseconds: to greet, and to answer a command or a message. */
export interface RelayPatience {
  greeting: number;
  answer: number;
}

const PATIENCE: RelayPatience = { greeting: 15_000, answer: 60_000 };
/** How long each step may take while somebody looks on. */
const CHECK: RelayPatience = { greeting: 5_000, answer: 5_000 };

/** A relay over SMTP, which can be spoken to without sending, and is closed in the end. */
export interface SmtpRelay extends Relay {
  check(): Promise<RelayAnswer>;
  /** Keeps no connection for later any more: each is closed when its message has gone. */
  retire(): void;
  close(): void;
}

/**
 * A relay over SMTP, with a pool of connections that are kept open between messages. Built on nodemailer's connection
 * rather than on its own pool, because the pool does not say whether a message's text had begun to go when a line
 * broke: that is the difference between trying again and never trying again.
 */
export function makeSmtpRelay(server: RelayServer, patience: RelayPatience = PATIENCE): SmtpRelay {
  const idle: SMTPConnection[] = [];
  const open = new Set<SMTPConnection>();
  const buildMime = makeMimeBuilder();
  let retired = false;
  const acquire = async (): Promise<SMTPConnection> => {
    for (let kept = idle.pop(); kept; kept = idle.pop()) if (open.has(kept)) return kept;
    const connection = await connect(server, patience);
    open.add(connection);
    connection.once('end', () => open.delete(connection));
    connection.on('error', () => open.delete(connection));
    return connection;
  };
  let checking: Promise<RelayAnswer> | undefined;
  return {
    connections: server.connections,
    // Whoever asks while it is being asked gets the same answer: however many ask, it is one connection.
    check: () => (checking ??= check(server).finally(() => (checking = undefined))),
    async handOver(message, signWith = []) {
      const raw = await signMessage(await buildMime(message), signWith);
      let connection: SMTPConnection;
      try {
        connection = await acquire();
      } catch (error) {
        return { outcome: 'again', reply: replyOf(error as SmtpError), trouble: true };
      }
      const { handover, usable } = await send(connection, message, raw);
      if (usable && !retired && open.has(connection) && (handover.outcome === 'accepted' || (await reset(connection))))
        idle.push(connection);
      else {
        open.delete(connection);
        connection.close();
      }
      return handover;
    },
    retire() {
      retired = true;
      for (const connection of idle.splice(0)) connection.quit();
    },
    close() {
      for (const connection of open) connection.quit();
      open.clear();
    },
  };
}

/** Speaks to the relay on a connection of its own, up to where a message would begin. */
async function check(server: RelayServer): Promise<RelayAnswer> {
  const relay = server.shown;
  try {
    const connection = await connect(server, CHECK);
    // The line may break while it is being ended; that is no matter any more.
    connection.on('error', () => undefined);
    const { secure, authenticated, lastServerResponse } = connection as SMTPConnection & {
      lastServerResponse: string | false;
    };
    connection.quit();
    return {
      relay,
      answers: true,
      encrypted: secure,
      signedIn: authenticated,
      said: firstLine(lastServerResponse || ''),
    };
  } catch (error) {
    return { relay, answers: false, encrypted: false, signedIn: false, said: replyOf(error as SmtpError) };
  }
}

/** A reply may have many lines (RFC 5321 4.2.1); the first is the one for people. */
const firstLine = (reply: string): string =>
  reply
    .split(/\r?\n/)[0]!
    .replace(/^(\d{3})-/, '$1 ')
    .trim();

async function connect(server: RelayServer, { greeting, answer }: RelayPatience): Promise<SMTPConnection> {
  const credentials = await server.credentials();
  const connection = new SMTPConnection({
    ...server.options,
    greetingTimeout: greeting,
    connectionTimeout: greeting,
    socketTimeout: answer,
  });
  await new Promise<void>((resolve, reject) => {
    connection.once('error', reject);
    connection.connect((error) => (error ? reject(error) : resolve()));
  });
  if (credentials) await signIn(connection, credentials);
  return connection;
}

/** Signs in. Whoever may not is hung up: the line would stay open until it times out, one for each try. */
function signIn(connection: SMTPConnection, credentials: { user: string; pass: string }): Promise<void> {
  return new Promise((resolve, reject) =>
    connection.login({ credentials }, (error) => {
      if (!error) return resolve();
      connection.close();
      reject(error);
    }),
  );
}

async function send(
  connection: SMTPConnection,
  message: WrittenMessage,
  raw: Buffer,
): Promise<{ handover: Handover; usable: boolean }> {
  const source = { begun: false };
  const stream = new Readable({
    read() {
      source.begun = true;
      this.push(raw);
      this.push(null);
    },
  });
  return new Promise((resolve) => {
    let settled = false;
    const settle = (handover: Handover, usable: boolean): void => {
      if (settled) return;
      settled = true;
      connection.removeListener('error', broken);
      connection.removeListener('end', ended);
      resolve({ handover, usable });
    };
    const fail = (error: SmtpError): void => {
      const handover = handoverOf(error, source.begun);
      settle(handover, handover.outcome === 'refused' || (handover.outcome === 'again' && !handover.trouble));
    };
    const broken = (error: Error): void => fail(error);
    const ended = (): void => fail(new Error('the relay closed the connection'));
    connection.once('error', broken);
    connection.once('end', ended);
    connection.send({ from: message.envelopeFrom, to: [message.to] }, stream, (error, info) => {
      if (error) fail(error);
      else settle({ outcome: 'accepted', reply: info.response }, true);
    });
  });
}

/**
 * Clears a transaction that was refused half-way (RSET, RFC 5321 4.1.1.5); without it the next MAIL would be out of
 * order.
 */
function reset(connection: SMTPConnection): Promise<boolean> {
  return new Promise((resolve) => connection.reset((error) => resolve(!error)));
}

/**
 * What a failure means for this recipient: by the relay's reply if there is one, else by whether the text had begun to
 * go.
 */
function handoverOf(error: SmtpError, begun: boolean): Handover {
  const reply = replyOf(error);
  const code = error.responseCode ?? 0;
  const ofRecipient = error.command === 'RCPT TO' || error.command === 'DATA' || begun;
  if (code === 421) return { outcome: 'again', reply, trouble: true };
  if (code >= 500 && ofRecipient) return { outcome: 'refused', reply };
  if (code >= 400) return { outcome: 'again', reply, trouble: !ofRecipient };
  return begun ? { outcome: 'uncertain', reply } : { outcome: 'again', reply, trouble: true };
}
