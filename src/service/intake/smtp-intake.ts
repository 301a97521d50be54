import { RateLimiterMemory } from 'rate-limiter-flexible';
import { SMTPServer, type SMTPServerSession } from 'smtp-server';
import type { Logger } from 'pino';
import type { Deps } from '../../operations/deps.ts';
import { MAX_RETURN_BYTES, receiveReturns } from '../../operations/returns/receive-return.ts';
import { makeReturnDomains } from './return-domains.ts';

/**
 * What the intake takes. Whoever is turned away for now is told so with a 4xx reply, and comes again (RFC 5321 4.2.1).
 */
export interface IntakeLimits {
  /** Connections at once, of all and of one peer: a flood from one leaves room for the others. */
  connections: number;
  connectionsOfPeer: number;
  recipients: number;
  /** Of one peer in a minute. An own mail server that passes all returns on is one peer, too. */
  messagesOfPeer: number;
  bytesOfPeer: number;
  /** A session is over after so long, whatever it does, and one that says nothing sooner. */
  sessionMs: number;
  silenceMs: number;
}

const LIMITS: IntakeLimits = {
  connections: 200,
  connectionsOfPeer: 20,
  recipients: 10,
  messagesOfPeer: 6000,
  bytesOfPeer: 200 * 1024 * 1024,
  sessionMs: 10 * 60_000,
  silenceMs: 30_000,
};
const LIMITS_SECONDS = 60;

/**
 * The SMTP listener that takes returns, for the return domains of the brands alone. What matches nothing is kept as
 * unmatched. 250 is answered only after the return is committed for all its recipients. What `proxies` connect with
 * begins with who is behind them (the PROXY protocol): limits are each sender's own.
 */
export function makeSmtpIntake(
  deps: Deps,
  log: Logger,
  limits: IntakeLimits = LIMITS,
  proxies: readonly string[] = [],
): SMTPServer {
  const peers = makePeers(limits);
  const isOurs = makeReturnDomains(deps);
  const failed = (error: Error, what: string): Error => {
    log.error({ err: error }, what);
    return smtpError(451, '4.3.0 Not possible now, try again later');
  };
  const server = new SMTPServer({
    maxClients: limits.connections,
    useProxy: proxies.length > 0 ? [...proxies] : false,
    socketTimeout: limits.silenceMs,
    authOptional: true,
    disabledCommands: ['AUTH', 'STARTTLS'],
    size: MAX_RETURN_BYTES,
    disableReverseLookup: true,
    banner: 'Avendel intake',
    logger: false,
    onConnect: ({ remoteAddress }, done) => done(peers.enter(remoteAddress)),
    onClose: ({ remoteAddress }) => peers.leave(remoteAddress),
    onMailFrom: (_address, { remoteAddress }, done) => void peers.begin(remoteAddress).then(done),
    onRcptTo({ address }, session, done) {
      if (session.envelope.rcptTo.length >= limits.recipients) return done(smtpError(452, '4.5.3 Too many recipients'));
      isOurs(address).then(
        (ours) => done(ours ? null : smtpError(550, '5.7.1 No mail for this domain is taken here')),
        (error: Error) => done(failed(error, 'whether a recipient is ours could not be told')),
      );
    },
    onData(stream, session, done) {
      const chunks: Buffer[] = [];
      let bytes = 0;
      stream.on('data', (chunk: Buffer) => {
        bytes += chunk.length;
        if (bytes <= MAX_RETURN_BYTES) chunks.push(chunk);
      });
      stream.on('end', () => {
        if (stream.sizeExceeded || bytes > MAX_RETURN_BYTES)
          return done(smtpError(552, '5.3.4 Message larger than this intake takes (10 MB)'));
        const kept = async (): Promise<void> => {
          const refused = await peers.take(session.remoteAddress, bytes);
          if (refused) return done(refused);
          await receiveReturns(deps, Buffer.concat(chunks), recipientsOf(session));
          done(null, '2.0.0 Kept');
        };
        kept().catch((error: Error) => done(failed(error, 'a return could not be kept')));
      });
    },
  });
  server.server.on('connection', (socket) => {
    const end = setTimeout(() => socket.destroy(), limits.sessionMs);
    socket.once('close', () => clearTimeout(end));
  });
  return server;
}

/** Each once, though the envelope may name one twice. */
function recipientsOf({ envelope }: SMTPServerSession): string[] {
  return [...new Set(envelope.rcptTo.map(({ address }) => address))];
}

/**
 * How much each peer does: connections now, messages and bytes in a minute. Each says why it is too much, or nothing.
 */
function makePeers({ connectionsOfPeer, messagesOfPeer, bytesOfPeer }: IntakeLimits) {
  const open = new Map<string, number>();
  const messages = new RateLimiterMemory({ points: messagesOfPeer, duration: LIMITS_SECONDS });
  const bytes = new RateLimiterMemory({ points: bytesOfPeer, duration: LIMITS_SECONDS });
  const count = (limiter: RateLimiterMemory, peer: string, much: number, what: string): Promise<Error | null> =>
    limiter.consume(peer, much).then(
      () => null,
      () => smtpError(450, `4.7.0 Too ${what} from your address, try again later`),
    );
  return {
    enter(peer: string): Error | null {
      const now = (open.get(peer) ?? 0) + 1;
      open.set(peer, now);
      return now > connectionsOfPeer
        ? smtpError(421, '4.7.0 Too many connections from your address, try again later')
        : null;
    },
    leave(peer: string): void {
      const left = (open.get(peer) ?? 1) - 1;
      if (left > 0) open.set(peer, left);
      else open.delete(peer);
    },
    begin: (peer: string) => count(messages, peer, 1, 'many messages'),
    take: (peer: string, length: number) => count(bytes, peer, length, 'much'),
  };
}

function smtpError(code: number, message: string): Error {
  return Object.assign(new Error(message), { responseCode: code });
}
