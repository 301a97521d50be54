import { SMTPServer } from 'smtp-server';
import type { Certificate } from './certificates.ts';
import { startRealService, type Running } from './service.ts';

export interface Received {
  to: string;
  from: string;
  raw: string;
  /** When RCPT was given, in milliseconds since the epoch. */
  at: number;
}

export interface SinkBehaviour {
  /** Messages are not answered before this. */
  held?: Promise<void>;
  /** Milliseconds before a message is answered. */
  delayMs?: number;
  rcpt?: (address: string) => { code: number; message: string } | undefined;
  /** Refuses the message at the end of its text. */
  endOfData?: (address: string) => { code: number; message: string } | undefined;
  /** Cuts the line after so many bytes of this recipient's message. */
  cutData?: (address: string) => boolean;
  /** Whether a new connection is turned away. */
  turnsAway?: () => boolean;
}

/** What the sink asks of whoever connects; absent: nothing, and nothing is encrypted. */
export interface SinkDoor {
  certificate: Certificate;
  /** Encrypted from the first byte, and not once greeted. */
  fromTheBeginning?: boolean;
  /** Who has to sign in. */
  account?: { user: string; password: () => string };
}

/** A relay that keeps what it is given, and misbehaves as asked. */
export async function startSink(
  port: number,
  behaviour: SinkBehaviour = {},
  door?: SinkDoor,
): Promise<{ received: Received[]; behaviour: SinkBehaviour; close: () => Promise<void> }> {
  const received: Received[] = [];
  const times = new Map<string, number>();
  const server = new SMTPServer({
    authOptional: door?.account === undefined,
    disabledCommands: door ? (door.account ? [] : ['AUTH']) : ['AUTH', 'STARTTLS'],
    ...(door && { secure: door.fromTheBeginning ?? false, ...pick(door.certificate) }),
    onAuth({ username, password }, _session, done) {
      const { account } = door!;
      if (username === account!.user && password === account!.password()) return done(null, { user: username });
      done(Object.assign(new Error('5.7.8 wrong'), { responseCode: 535 }));
    },
    onConnect: (_session, done) =>
      done(behaviour.turnsAway?.() ? Object.assign(new Error('4.3.2 closed'), { responseCode: 421 }) : null),
    disableReverseLookup: true,
    closeTimeout: 100,
    onRcptTo({ address }, _session, done) {
      times.set(address, Date.now());
      const refusal = behaviour.rcpt?.(address);
      done(refusal ? Object.assign(new Error(refusal.message), { responseCode: refusal.code }) : null);
    },
    onData(stream, session, done) {
      const to = session.envelope.rcptTo[0]!.address;
      const from = session.envelope.mailFrom ? session.envelope.mailFrom.address : '';
      const chunks: Buffer[] = [];
      stream.on('data', (chunk: Buffer) => chunks.push(chunk));
      stream.on('end', () => {
        const refusal = behaviour.endOfData?.(to);
        if (refusal) return done(Object.assign(new Error(refusal.message), { responseCode: refusal.code }));
        received.push({ to, from, raw: Buffer.concat(chunks).toString('utf8'), at: times.get(to)! });
        const connections = (
          server as unknown as { connections: Set<{ session: unknown; _socket: { destroy(): void } }> }
        ).connections;
        if (behaviour.cutData?.(to))
          for (const connection of connections) if (connection.session === session) return connection._socket.destroy();
        const answer = (): void => void setTimeout(() => done(null, '2.0.0 kept'), behaviour.delayMs ?? 0);
        void (behaviour.held ?? Promise.resolve()).then(answer);
      });
    },
  });
  server.on('error', () => undefined);
  await new Promise<void>((resolve) => server.listen(port, '127.0.0.1', resolve));
  return { received, behaviour, close: () => new Promise((resolve) => server.close(resolve)) };
}

const pick = ({ certificate, key }: Certificate): { cert: string; key: string } => ({ cert: certificate, key });

/** Addresses that were given a message more than once. */
export function twice(received: Received[]): string[] {
  const all = received.map((message) => message.to);
  return all.filter((address, index) => all.indexOf(address) !== index);
}

/** The real service with a relay behind it that takes everything. */
export async function startWithSink(): Promise<{
  service: Running;
  sink: Awaited<ReturnType<typeof startSink>>;
  stop: () => Promise<void>;
}> {
  const service = await startRealService();
  const sink = await startSink(service.relayPort);
  const stop = async (): Promise<void> => {
    await service.stop();
    await sink.close();
  };
  return { service, sink, stop };
}
