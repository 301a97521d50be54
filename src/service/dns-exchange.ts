import { createSocket } from 'node:dgram';
import { randomInt } from 'node:crypto';
import { connect } from 'node:net';
import packet, { type Answer, type DecodedPacket, type Packet } from 'dns-packet';
import type { Exchange } from '../core/address/check-address.ts';
import type { Deps } from '../operations/deps.ts';

/** The package's types leave out the response code (RFC 1035 section 4.1.1). */
type Reply = DecodedPacket & { rcode: string };

const TIME_OUT_MS = 2000;
/** However long an answer says it holds, it is kept for an hour at least and a week at most. */
const SHORTEST_S = 3600;
const LONGEST_S = 7 * 86_400;
/** How long it holds that there is nothing (RFC 2308 section 5 lets it be as short as this). */
const NOTHING_S = 3 * 3600;

/**
 * Asks a resolver over UDP whether a domain takes mail: its MX records (RFC 5321 section 5.1, a null one RFC 7505), and
 * where there are none, whether there is a host of that name. No answer, a late one or a failure of the server is
 * `unknown`. The package reads and writes the messages (RFC 1035); Node's own resolver does not say how long an MX
 * record holds.
 */
export function makeAskExchange(resolver: string): NonNullable<Deps['askExchange']> {
  const { hostname, port } = new URL(`dns://${resolver}`);
  const ask = (name: string, type: 'MX' | 'A' | 'AAAA'): Promise<Reply | undefined> =>
    query({ host: hostname, port: Number(port || 53) }, { name, type });
  return async (domain) => {
    const mail = await ask(domain, 'MX');
    if (!mail) return UNKNOWN;
    if (mail.rcode === 'NXDOMAIN') return { exchange: 'none', seconds: NOTHING_S };
    if (mail.rcode !== 'NOERROR') return UNKNOWN;
    const exchangers = (mail.answers ?? []).filter((answer) => answer.type === 'MX');
    if (exchangers.length > 0)
      return { exchange: isNull(exchangers) ? 'null' : 'some', seconds: secondsOf(exchangers) };
    for (const type of ['A', 'AAAA'] as const) {
      const host = await ask(domain, type);
      if (host?.rcode !== 'NOERROR') return UNKNOWN;
      const addresses = (host.answers ?? []).filter((answer) => answer.type === type);
      if (addresses.length > 0) return { exchange: 'some', seconds: secondsOf(addresses) };
    }
    return { exchange: 'none', seconds: NOTHING_S };
  };
}

const UNKNOWN: { exchange: Exchange; seconds: number } = { exchange: 'unknown', seconds: 0 };

function isNull(exchangers: Answer[]): boolean {
  return exchangers.every((answer) => answer.type === 'MX' && ['', '.'].includes(answer.data.exchange));
}

function secondsOf(answers: Answer[]): number {
  const ttl = Math.min(...answers.map((answer) => ('ttl' in answer ? (answer.ttl ?? 0) : 0)));
  return Math.min(Math.max(ttl, SHORTEST_S), LONGEST_S);
}

/**
 * Asks a resolver for the texts, or the mail exchangers, of a name; none where there is no such name. A text may come
 * in pieces, which belong together (RFC 7208 section 3.3, RFC 6376 section 3.6.2.2).
 */
export function makeAskRecords(resolver: string): NonNullable<Deps['askRecords']> {
  const { hostname, port } = new URL(`dns://${resolver}`);
  return async (name, type) => {
    const reply = await query({ host: hostname, port: Number(port || 53) }, { name, type });
    if (reply?.rcode === 'NXDOMAIN') return [];
    if (reply?.rcode !== 'NOERROR') return undefined;
    return (reply.answers ?? []).flatMap((answer) =>
      answer.type === 'TXT' && type === 'TXT'
        ? [[answer.data].flat().map(String).join('')]
        : answer.type === 'MX' && type === 'MX'
          ? [answer.data.exchange]
          : [],
    );
  };
}

interface Question {
  name: string;
  type: 'MX' | 'A' | 'AAAA' | 'TXT';
}

/** An answer that is cut off, as it would not fit, is asked for again over TCP (RFC 7766 section 5). */
async function query(at: { host: string; port: number }, question: Question): Promise<Reply | undefined> {
  const id = randomInt(65_536);
  const asked: Packet = { type: 'query', id, flags: packet.RECURSION_DESIRED, questions: [question] };
  // What answers another question is not for us; somebody may be guessing.
  const isOurs = (reply: Reply | undefined): reply is Reply =>
    reply?.id === id && reply.questions?.[0]?.name.toLowerCase() === question.name;
  const reply = await overUdp(at, packet.encode(asked), isOurs);
  if (!reply?.flag_tc) return reply;
  const whole = await overTcp(at, packet.streamEncode(asked));
  return isOurs(whole) ? whole : undefined;
}

function overUdp(
  at: { host: string; port: number },
  question: Buffer,
  isOurs: (reply: Reply | undefined) => reply is Reply,
): Promise<Reply | undefined> {
  return new Promise((resolve) => {
    const socket = createSocket(at.host.includes(':') ? 'udp6' : 'udp4');
    const end = (answer: Reply | undefined): void => {
      clearTimeout(timer);
      socket.close();
      resolve(answer);
    };
    const timer = setTimeout(() => end(undefined), TIME_OUT_MS);
    socket.once('error', () => end(undefined));
    socket.on('message', (bytes, from) => {
      const answer = from.port === at.port ? decode(() => packet.decode(bytes)) : undefined;
      if (isOurs(answer)) end(answer);
    });
    socket.send(question, at.port, at.host, (error) => error && end(undefined));
  });
}

function overTcp(at: { host: string; port: number }, question: Buffer): Promise<Reply | undefined> {
  return new Promise((resolve) => {
    let received = Buffer.alloc(0);
    const socket = connect(at.port, at.host, () => socket.write(question));
    const end = (answer: Reply | undefined): void => {
      clearTimeout(timer);
      socket.destroy();
      resolve(answer);
    };
    const timer = setTimeout(() => end(undefined), TIME_OUT_MS);
    socket.once('error', () => end(undefined));
    socket.once('close', () => end(undefined));
    socket.on('data', (piece) => {
      received = Buffer.concat([received, piece]);
      if (received.length >= 2 && received.length >= 2 + received.readUInt16BE())
        end(decode(() => packet.streamDecode(received)));
    });
  });
}

function decode(read: () => Packet | DecodedPacket): Reply | undefined {
  try {
    return read() as Reply;
  } catch {
    return undefined;
  }
}
