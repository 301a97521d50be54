import { SMTPServer } from 'smtp-server';
import type { Logger } from 'pino';
import type { Deps } from '../../operations/deps.ts';
import { MAX_RETURN_BYTES, receiveReturn } from '../../operations/returns/receive-return.ts';

const MAX_RECIPIENTS = 10;
/** Connections at once, of all and of one peer: a flood from one leaves room for the others, who will try again. */
const MAX_CONNECTIONS = 200;
const MAX_CONNECTIONS_OF_PEER = 20;

/**
 * The SMTP listener that takes returns. Whatever is not too large is taken, for an address of ours or not: what matches
 * nothing is kept as unmatched. 250 is answered only after the return is committed.
 */
export function makeSmtpIntake(deps: Deps, log: Logger): SMTPServer {
  const peers = new Map<string, number>();
  return new SMTPServer({
    maxClients: MAX_CONNECTIONS,
    authOptional: true,
    disabledCommands: ['AUTH', 'STARTTLS'],
    size: MAX_RETURN_BYTES,
    disableReverseLookup: true,
    banner: 'Avendel intake',
    logger: false,
    onConnect({ remoteAddress }, done) {
      const connections = (peers.get(remoteAddress) ?? 0) + 1;
      peers.set(remoteAddress, connections);
      done(connections > MAX_CONNECTIONS_OF_PEER ? smtpError(421, '4.7.0 Too many connections from your address, try again later') : null); // prettier-ignore
    },
    onClose({ remoteAddress }) {
      const left = (peers.get(remoteAddress) ?? 1) - 1;
      if (left > 0) peers.set(remoteAddress, left);
      else peers.delete(remoteAddress);
    },
    onRcptTo(_address, session, done) {
      const many = session.envelope.rcptTo.length >= MAX_RECIPIENTS;
      done(many ? smtpError(452, '4.5.3 Too many recipients') : null);
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
        const raw = Buffer.concat(chunks);
        const recipients = session.envelope.rcptTo.map(({ address }) => address);
        receiveAll(deps, raw, recipients).then(
          () => done(null, '2.0.0 Kept'),
          (error: Error) => {
            log.error({ err: error }, 'a return could not be kept');
            done(smtpError(451, '4.3.0 Not kept, try again later'));
          },
        );
      });
    },
  });
}

async function receiveAll(deps: Deps, raw: Buffer, recipients: string[]): Promise<void> {
  for (const recipient of recipients) await receiveReturn(deps, raw, recipient);
}

function smtpError(code: number, message: string): Error {
  return Object.assign(new Error(message), { responseCode: code });
}
