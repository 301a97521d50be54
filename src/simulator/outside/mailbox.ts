import { PROXY_DOMAIN, SCANNER_DOMAIN } from '../world/history.ts';
import { HISTORY_DAYS, interestOn, type Person } from '../world/people.ts';
import { makeRandom, seedOf } from '../world/random.ts';

/** What a receiving server does with a message at the door. */
export type Door = { take: true } | { take: false; code: number; reply: string };

/** What happens with a message that was taken, each after so many milliseconds. */
export interface Reaction {
  after: number;
  act:
    | { kind: 'bounce'; status: string; reply: string }
    | { kind: 'open'; userAgent: string }
    | { kind: 'click'; userAgent: string; link: 'first' | 'any' }
    | { kind: 'scan'; userAgent: string }
    | { kind: 'unsubscribe'; by: 'one-click' | 'mail' }
    | { kind: 'confirm'; userAgent: string }
    | { kind: 'complain' }
    | { kind: 'ask'; words: string };
}

const READER = 'Mozilla/5.0 (X11; Linux) Mail/1';
const SCANNER = 'Tollgate-LinkScanner/4 (bot)';
const PROXY = 'GauzePost-ImageProxy/2.1';

/**
 * Words at the beginning of a local part that fix what happens, so that anybody can try it: an address that begins
 * `gone` is refused at the door, `bounces` comes back later, and so on. Everybody else acts by chance, seeded.
 */
const PLAIN_WORDS: Record<string, (at: (low: number, high: number) => number) => Reaction[]> = {
  bounces: (at) => [
    { after: at(400, 3000), act: { kind: 'bounce', status: '5.1.1', reply: '550 5.1.1 no such user here' } },
  ],
  full: (at) => [
    { after: at(400, 3000), act: { kind: 'bounce', status: '5.2.2', reply: '552 5.2.2 mailbox full: over quota' } },
  ],
  blocks: (at) => [
    {
      after: at(400, 3000),
      act: { kind: 'bounce', status: '5.7.1', reply: '554 5.7.1 message refused: content policy' },
    },
  ],
  complains: (at) => [
    { after: at(3000, 6000), act: { kind: 'open', userAgent: READER } },
    { after: at(4000, 8000), act: { kind: 'complain' } },
  ],
  leaves: (at) => [{ after: at(3000, 6000), act: { kind: 'unsubscribe', by: 'one-click' } }],
  writes: (at) => [{ after: at(3000, 6000), act: { kind: 'unsubscribe', by: 'mail' } }],
  asks: (at) => [{ after: at(2000, 5000), act: { kind: 'ask', words: 'Please stop sending these to me.' } }],
  reads: (at) => [{ after: at(3000, 6000), act: { kind: 'open', userAgent: READER } }],
  clicks: (at) => [
    { after: at(3000, 5000), act: { kind: 'open', userAgent: READER } },
    { after: at(5000, 8000), act: { kind: 'click', userAgent: READER, link: 'first' } },
  ],
  scans: (at) => [{ after: at(200, 800), act: { kind: 'scan', userAgent: SCANNER } }],
  silent: () => [],
};

/** Whether the receiving server of this address takes a message. */
export function atTheDoor(address: string, person: Person | undefined): Door {
  const local = address.split('@')[0]!;
  if (/^gone\b/.test(local)) return { take: false, code: 550, reply: '5.1.1 no such user here' };
  if (/^later\b/.test(local)) return { take: false, code: 451, reply: '4.7.1 greylisted, try again later' };
  // Those who are long gone are refused at the door half of the time, else their server says so later.
  if (isGone(person) && person!.index % 2 === 0)
    return { take: false, code: 550, reply: `5.1.1 <${address}>: no such user here` };
  return { take: true };
}

/** What comes of a message to this address. `pace` stretches or shortens every wait. */
export function reactionsOf(address: string, person: Person | undefined, messageId: string, pace: number): Reaction[] {
  const random = makeRandom(seedOf(`${address} ${messageId}`));
  const at = (low: number, high: number): number => Math.round(random.between(low, high) * pace);
  const [local = '', domain = ''] = address.split('@');
  const plain = PLAIN_WORDS[/^[a-z]+/.exec(local)?.[0] ?? ''];
  if (plain) return plain((low, high) => at(low, high));
  return (
    bounceOf(address, person, random.next(), at) ?? [
      ...machines(domain, at),
      ...(person && movesAway(person) ? [{ after: at(2000, 5000), act: MOVING_AWAY }] : []),
      ...reading(person ?? stranger(address), random, at),
    ]
  );
}

/**
 * What comes of a message that asks to confirm a sign-up: machines follow its link, people press the button behind it,
 * or do not.
 */
export function confirmationReactionsOf(address: string, messageId: string, pace: number): Reaction[] {
  const random = makeRandom(seedOf(`confirm ${address} ${messageId}`));
  const at = (low: number, high: number): number => Math.round(random.between(low, high) * pace);
  const [local = '', domain = ''] = address.split('@');
  const scanned = machines(domain, at).filter(({ act }) => act.kind === 'scan');
  const presses = /^(confirms|clicks)/.test(local) || (!/^(silent|scans)/.test(local) && random.chance(0.6));
  const pressed: Reaction[] = presses ? [{ after: at(4000, 20_000), act: { kind: 'confirm', userAgent: READER } }] : [];
  return /^scans/.test(local)
    ? [{ after: at(150, 900), act: { kind: 'scan', userAgent: SCANNER } }]
    : [...scanned, ...pressed];
}

/**
 * A bad day of a provider: it has lost its directory, takes mail and reports every mailbox as unknown; it puts
 * everything off; it blocks everything because of the sender; or every tenth mailbox is gone.
 */
export const BAD_DAYS = ['unknown', 'later', 'blocks', 'dead'] as const;
export type BadDay = (typeof BAD_DAYS)[number];

/** What the server of a provider does at the door on a bad day; nothing where it does as always. */
export function atTheDoorOnBadDay(address: string, kind: BadDay | undefined): Door | undefined {
  if (kind === 'later') return { take: false, code: 451, reply: '4.7.1 too much at once, try again later' };
  if (kind === 'blocks') return { take: false, code: 554, reply: '5.7.1 blocked: poor reputation of the sender' };
  const isDead = kind === 'dead' && seedOf(address) % 10 === 0;
  return isDead ? { take: false, code: 550, reply: '5.1.1 mailbox unknown' } : undefined;
}

/** What comes of every message to a provider that has lost its directory. */
export function onBadDay(pace: number): Reaction[] {
  return [{ after: 1000 * pace, act: { kind: 'bounce', status: '5.1.1', reply: '550 5.1.1 user unknown' } }];
}

function bounceOf(
  address: string,
  person: Person | undefined,
  chance: number,
  at: (low: number, high: number) => number,
): Reaction[] | undefined {
  const bounce = (status: string, reply: string): Reaction[] => [
    { after: at(800, 12_000), act: { kind: 'bounce', status, reply } },
  ];
  if (isGone(person)) return bounce('5.1.1', `550 5.1.1 <${address}>: no such user here`);
  if (person?.fullDay != null && person.fullDay <= HISTORY_DAYS)
    return bounce('5.2.2', '552 5.2.2 mailbox full: over quota');
  if (chance < 0.0015) return bounce('4.4.1', '451 4.4.1 no answer from host, tried for 48 h');
  return chance < 0.0021 ? bounce('5.7.1', '554 5.7.1 message refused: content policy') : undefined;
}

function machines(domain: string, at: (low: number, high: number) => number): Reaction[] {
  if (domain === SCANNER_DOMAIN) return [{ after: at(150, 900), act: { kind: 'scan', userAgent: SCANNER } }];
  return domain === PROXY_DOMAIN ? [{ after: at(2000, 9000), act: { kind: 'open', userAgent: PROXY } }] : [];
}

/**
 * A person's reading: opens after some seconds, then perhaps clicks, leaves or complains. Squeezed from hours into a
 * minute.
 */
function reading(
  person: Pick<Person, 'curiosity' | 'complains'> & { interest: number },
  random: ReturnType<typeof makeRandom>,
  at: (low: number, high: number) => number,
): Reaction[] {
  if (!random.chance(person.interest)) return [];
  const opened = at(3000, 40_000);
  const reactions: Reaction[] = [{ after: opened, act: { kind: 'open', userAgent: READER } }];
  if (random.chance(person.curiosity))
    reactions.push({ after: opened + at(3000, 12_000), act: { kind: 'click', userAgent: READER, link: 'any' } });
  if (random.chance(0.0035))
    reactions.push({
      after: opened + at(3000, 8000),
      act: { kind: 'unsubscribe', by: random.chance(0.8) ? 'one-click' : 'mail' },
    });
  else if (random.chance(person.complains ? 0.15 : 0.0002))
    reactions.push({ after: opened + at(3000, 8000), act: { kind: 'complain' } });
  return reactions;
}

const MOVING_AWAY = {
  kind: 'ask',
  words: 'Thank you for the lovely evenings. We are moving away, so please stop sending these to me.',
} as const;

/** Some answer what they get by hand, and ask in their own words to get no more. */
function movesAway({ index, interest }: Person): boolean {
  return index % 661 === 14 && interest > 0.05;
}

function isGone(person: Person | undefined): boolean {
  return person?.goneDay != null && person.goneDay <= HISTORY_DAYS + 40;
}

function stranger(address: string): { interest: number; curiosity: number; complains: boolean } {
  const random = makeRandom(seedOf(address));
  return { interest: random.between(0.15, 0.6), curiosity: random.between(0.1, 0.4), complains: false };
}

/** How a person of the world reads today. */
export function interestToday(person: Person): Person {
  return { ...person, interest: interestOn(person, HISTORY_DAYS) };
}
