import { createSocket } from 'node:dgram';
import packet, { type Answer } from 'dns-packet';

/** Domains of the demo world that take mail, with all below them. */
const TAKE_MAIL = [
  'lanternpost.example',
  'quillmail.example',
  'hearthmail.example',
  'campusnet.example',
  'gauzepost.example',
  'tollgate-freight.example',
  'larkfield.example',
];
/** Names that somebody has parked because people mistype them: something answers there, and nobody reads. */
const PARKED = ['lanternpots.example', 'quilmail.example'];
/** One that says itself that it takes none (RFC 7505). */
const TAKES_NONE = 'nomail.example';
/** What the brands of the demo world publish: who sends for them, and what becomes of what does not fit. */
const TEXTS: Readonly<Record<string, string>> = {
  'returns.larkfield.example': 'v=spf1 ip4:127.0.0.1 -all',
  'returns.shop.larkfield.example': 'v=spf1 ip4:127.0.0.1 -all',
  '_dmarc.larkfield.example': 'v=DMARC1; p=quarantine',
};
const HOLDS_S = 86_400;
const NO_SUCH_NAME = 3;

/** The domain name system of the demo world: mail exchangers and texts of its domains, and nothing else. */
export async function startNameServer(host: string, port: number): Promise<{ stop(): Promise<void> }> {
  const socket = createSocket('udp4');
  socket.on('message', (bytes, from) => {
    const answer = answerTo(bytes);
    if (answer) socket.send(answer, from.port, from.address);
  });
  await new Promise<void>((resolve, reject) => {
    socket.once('error', (error: NodeJS.ErrnoException) =>
      reject(
        error.code === 'EADDRINUSE'
          ? new Error(
              `UDP port ${port} on ${host} is in use. Stop what uses it, or set AVENDEL_SIMULATOR_NAMES_PORT to another port.`,
            )
          : error,
      ),
    );
    socket.bind(port, host, resolve);
  });
  return { stop: () => new Promise((resolve) => socket.close(() => resolve())) };
}

function answerTo(bytes: Buffer): Buffer | undefined {
  try {
    const { id, questions } = packet.decode(bytes);
    const question = questions?.[0];
    if (!question) return undefined;
    const answers = answersTo(question.type, question.name.toLowerCase());
    const flags = packet.RECURSION_AVAILABLE | (answers.length > 0 ? 0 : NO_SUCH_NAME);
    return packet.encode({ type: 'response', id, flags, questions, answers });
  } catch {
    return undefined;
  }
}

function answersTo(type: string | undefined, name: string): Answer[] {
  if (type === 'MX') return exchangers(name);
  const data = type === 'TXT' ? TEXTS[name] : undefined;
  return data === undefined ? [] : [{ type: 'TXT', name, ttl: HOLDS_S, data }];
}

function exchangers(name: string): Answer[] {
  const exchange =
    name === TAKES_NONE
      ? '.'
      : [...TAKE_MAIL, ...PARKED].some((domain) => name === domain || name.endsWith(`.${domain}`))
        ? `mx.${name}`
        : undefined;
  return exchange === undefined
    ? []
    : [{ type: 'MX', name, ttl: HOLDS_S, data: { preference: exchange === '.' ? 0 : 10, exchange } }];
}
