import { Readable } from 'node:stream';
import SMTPConnection from 'nodemailer/lib/smtp-connection/index.js';
import { isLoopback } from '../../core/address/network-block.ts';
import type { WrittenMessage } from '../../core/message/compile-message.ts';
import type { CheckableRelay, Handover } from '../../operations/relay/relay.ts';
import type { RelayAnswer } from '../../shared/contract/relay.ts';
import { makeMimeBuilder } from './mime-skeleton.ts';
import { signMessage } from './sign-message.ts';

/** How long the relay may take to greet, to answer a command, and to take a message. */
const GREETING_MS = 15_000;
const SOCKET_MS = 60_000;
/** How long each step may take while somebody looks on. */
const CHECK_MS = 5_000;

interface SmtpError extends Error {
  code?: string;
  command?: string;
  response?: string;
  responseCode?: number;
}

/**
 * The relay over SMTP, with a pool of connections that are kept open between messages. Built on nodemailer's connection
 * rather than on its own pool, because the pool does not say whether a message's text had begun to go when a line
 * broke: that is the difference between trying again and never trying again.
 */
export function makeSmtpRelay(url: string, connections: number): CheckableRelay & { close(): void } {
  const idle: SMTPConnection[] = [];
  const open = new Set<SMTPConnection>();
  const options = connectionOptions(url);
  const buildMime = makeMimeBuilder();
  const acquire = async (): Promise<SMTPConnection> => {
    for (let kept = idle.pop(); kept; kept = idle.pop()) if (open.has(kept)) return kept;
    const connection = await connect(options);
    open.add(connection);
    connection.once('end', () => open.delete(connection));
    connection.on('error', () => open.delete(connection));
    return connection;
  };
  let checking: Promise<RelayAnswer> | undefined;
  return {
    connections,
    // Whoever asks while it is being asked gets the same answer: however many ask, it is one connection.
    check: () => (checking ??= check(url, options).finally(() => (checking = undefined))),
    async handOver(message, signWith = []) {
      const raw = await signMessage(await buildMime(message), signWith);
      let connection: SMTPConnection;
      try {
        connection = await acquire();
      } catch (error) {
        return { outcome: 'again', reply: replyOf(error as SmtpError), trouble: true };
      }
      const { handover, usable } = await send(connection, message, raw);
      if (usable && open.has(connection) && (handover.outcome === 'accepted' || (await reset(connection))))
        idle.push(connection);
      else {
        open.delete(connection);
        connection.close();
      }
      return handover;
    },
    close() {
      for (const connection of open) connection.quit();
      open.clear();
    },
  };
}

function connectionOptions(url: string): SMTPConnection.Options & { user: string; pass: string } {
  const { hostname, port, protocol, username, password } = new URL(url);
  return {
    host: hostname,
    port: port === '' ? (protocol === 'smtps:' ? 465 : 25) : Number(port),
    secure: protocol === 'smtps:',
    // A password goes to another machine encrypted or not at all.
    requireTLS: username !== '' && !isLoopback(hostname),
    user: decodeURIComponent(username),
    pass: decodeURIComponent(password),
    greetingTimeout: GREETING_MS,
    connectionTimeout: GREETING_MS,
    socketTimeout: SOCKET_MS,
    // A relay on this machine often has a certificate of its own, and nobody stands between.
    tls: { rejectUnauthorized: !isLoopback(hostname) },
  };
}

/** Speaks to the relay on a connection of its own, up to where a message would begin. */
async function check(url: string, options: ReturnType<typeof connectionOptions>): Promise<RelayAnswer> {
  const { protocol, host } = new URL(url);
  const relay = `${protocol}//${host}`;
  try {
    const limits = { greetingTimeout: CHECK_MS, connectionTimeout: CHECK_MS, socketTimeout: CHECK_MS };
    const connection = await connect({ ...options, ...limits });
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

async function connect(options: ReturnType<typeof connectionOptions>): Promise<SMTPConnection> {
  const connection = new SMTPConnection(options);
  await new Promise<void>((resolve, reject) => {
    connection.once('error', reject);
    connection.connect((error) => (error ? reject(error) : resolve()));
  });
  if (options.user !== '') await signIn(connection, options);
  return connection;
}

/** Signs in. Whoever may not is hung up: the line would stay open until it times out, one for each try. */
function signIn(connection: SMTPConnection, { user, pass }: { user: string; pass: string }): Promise<void> {
  return new Promise((resolve, reject) =>
    connection.login({ credentials: { user, pass } }, (error) => {
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

function replyOf(error: SmtpError): string {
  return (error.response ?? error.message).slice(0, 1000);
}
