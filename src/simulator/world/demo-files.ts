import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { FIRST_NAMES, LAST_NAMES, type Person } from './people.ts';
import { makeRandom, type Random } from './random.ts';

const FAIR_ROWS = 10_000;
const VERIFIED = 600;

/** Files to try out on the demo world, always the same: what came home from a summer fair, and what a verifier says. */
export function writeDemoFiles(folder: string, people: Person[]): void {
  mkdirSync(folder, { recursive: true });
  writeFileSync(join(folder, 'summer-fair.csv'), makeFairFile(people));
  writeFileSync(join(folder, 'verified.csv'), makeVerifiedFile(people));
}

/** A file as such files are: semicolons, a byte order mark, and one row in six with something wrong with it. */
function makeFairFile(people: Person[]): string {
  const random = makeRandom(20_260_815);
  const rows: string[] = [];
  while (rows.length < FAIR_ROWS) rows.push(fairRow(random, people, rows));
  return `\ufeff${['E-Mail;Name;Stall;Signed up', ...rows].join('\r\n')}\r\n`;
}

function fairRow(random: Random, people: Person[], rows: string[]): string {
  const [first, last] = [random.pick(FIRST_NAMES), random.pick(LAST_NAMES)];
  const local = `${first}.${last}${random.whole(1, 999)}`.toLowerCase().replace(/[^a-z0-9.]/g, '');
  const domain = random.weighted([
    ['lanternpost.example', 40],
    ['quillmail.example', 35],
    ['hearthmail.example', 20],
    ['campusnet.example', 5],
  ]);
  const rest = `${first} ${last};${random.pick(['Telescopes', 'Moon walk', '"Cakes; tea"', 'Tombola'])};2026-08-${random.whole(14, 16)}`;
  const kind = random.weighted(KINDS);
  return kind(`${local}@${domain}`, rest, { random, people, rows });
}

type Kind = (address: string, rest: string, of: { random: Random; people: Person[]; rows: string[] }) => string;

const at = (address: string, domain: string): string => address.replace(/@.*$/, `@${domain}`);

const KINDS: readonly (readonly [Kind, number])[] = [
  [(address, rest) => `${address};${rest}`, 830],
  [(_, rest, { random, people }) => `${random.pick(people).address};${rest}`, 60],
  [(address, rest, { random, rows }) => (rows.length === 0 ? `${address};${rest}` : random.pick(rows)), 25],
  [(address, rest) => `${address.toUpperCase()} ;${rest}`, 20],
  [
    (address, rest, { random }) => `${at(address, random.pick(['lanternpots.example', 'quilmail.example']))};${rest}`,
    18,
  ],
  [(address, rest) => `${at(address, 'nomail.example')};${rest}`, 4],
  [(address, rest) => `${at(address, 'closed-last-year.example')};${rest}`, 6],
  [(address, rest) => `${address.replace('@', ' at ')};${rest}`, 8],
  [(address, rest) => `${address.replace('@', '@@')};${rest}`, 5],
  [(_, rest) => `;${rest}`, 6],
  [(address, rest) => `${address};${rest.replace(/2026-08-(\d+)/, '$1.8.2026')}`, 6],
  [(address) => `${address};only a name`, 5],
  [(address, rest) => `${address.replace('@', '\u200b@')};${rest}`, 3],
  [(address, rest) => `info@${address.split('@')[1]!};${rest}`, 2],
  [(address, rest) => `${address};=1+1${rest}`, 2],
];

/** What a verifier calls good, dead and doubtful, in words of its own. */
function makeVerifiedFile(people: Person[]): string {
  const random = makeRandom(20_261_101);
  const some = Array.from({ length: VERIFIED }, () => random.pick(people));
  const word = (person: Person): string =>
    person.goneDay !== null
      ? 'no mailbox'
      : random.weighted([
          ['mailbox found', 80],
          ['could be a list', 6],
          ['takes anything', 8],
          ['hidden snare', 1],
          ['no answer', 5],
        ]);
  const said = 'Harbour Checks,2026-11-01';
  return [
    'Email,Verdict,Verified by,Checked',
    ...some.map((person) => `${person.address},${word(person)},${said}`),
    '',
  ].join('\n');
}
