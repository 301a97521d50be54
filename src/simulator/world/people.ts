import { makeRandom } from './random.ts';

/** Lists of the demo world by a key of their own. */
export type ListKey = 'digest' | 'members' | 'evenings' | 'shop';

/** One invented person of the demo world. Days count from the beginning of its history. */
export interface Person {
  index: number;
  name: string;
  address: string;
  domain: string;
  joinedDay: number;
  lists: ListKey[];
  /** Whether they confirmed the double opt-in of the Members' Letter. */
  confirmed: boolean;
  /** How likely they open a message that they see, while they care. */
  interest: number;
  /** Clicks among opens. */
  curiosity: number;
  /** When they stop caring, and when they come back, if ever. */
  fadesDay: number;
  returnsDay: number | null;
  /** When their address ends for good, if ever. */
  goneDay: number | null;
  /** When their mailbox is full for ever after, if ever. */
  fullDay: number | null;
  complains: boolean;
  buys: boolean;
}

export const HISTORY_DAYS = 425;
export const DEMO_PEOPLE = 5000;
const SEED = 470_425;

const words = (text: string): string[] => text.trim().split(/\s+/);

export const FIRST_NAMES = words(`
  Ada Joel Mina Ines Tobias Maud Orla Nils Greta Corin Dilys Hana Petra Samir Wenna Iva Bram Jo Lotte Kofi Una
  Edda Marek Alys Piers Nadia Tove Rufus Mei Silke Anneke Theo Isolde Sefa Elin Gwen Silas Ravi Noor Lucan
  Tamsin Yara Odile Fenn Zora Emrys Juno Kell Perrin Saskia
`);
export const LAST_NAMES = words(`
  Brandt Marchbank Faulk Okafor Renn Ellerby Penhallow Tavener Yoon Vale Amberg Roscoe Lind Oakes Dray Castellan
  Tolley Fennick Marr Brandreth Sill Voss Thorne Quill Holloway Ferris Rand Anning Calder Moor Moss Lark Park
  Lindqvist Sorrell Harrow Mortlock Ashdown Winterbourne Copperfell Starling Hathersage Pellow Tarn Whitlow Skye
  Underhay Rookwood Kestle Drummond-Hay
`);

const DOMAINS = [
  ['lanternpost.example', 28],
  ['quillmail.example', 24],
  ['hearthmail.example', 22],
  ['campusnet.example', 16],
  ['gauzepost.example', 7],
  ['tollgate-freight.example', 3],
] as const;

/** Everybody of the demo world, always the same. */
export function makePeople(count = DEMO_PEOPLE): Person[] {
  const taken = new Map<string, number>();
  return Array.from({ length: count }, (_, index) => {
    const person = withFullMailbox(withSlip(makePerson(index)));
    const [local, domain] = person.address.split('@');
    const namesakes = taken.get(person.address) ?? 0;
    taken.set(person.address, namesakes + 1);
    return namesakes === 0 ? person : { ...person, address: `${local}${namesakes + 1}@${domain}` };
  });
}

/** Some wrote the domain of their address wrong when they joined: nothing ever reached them. */
const SLIPS: Readonly<Record<string, string>> = {
  'lanternpost.example': 'lanternpots.example',
  'quillmail.example': 'quilmail.example',
};
const SLIPPED_ONE_IN = 97;

function withSlip(person: Person): Person {
  const slipped = person.index % SLIPPED_ONE_IN === 41 ? SLIPS[person.domain] : undefined;
  return slipped === undefined
    ? person
    : { ...person, domain: slipped, address: person.address.replace(/@.*/, `@${slipped}`), goneDay: -HISTORY_DAYS };
}

/** The mailboxes of some readers filled up two digests ago: the next message is the third that does not fit. */
export const FILLED_DAY = HISTORY_DAYS - 16;
const FILLED_ONE_IN = 191;

function withFullMailbox(person: Person): Person {
  const fills = person.index % FILLED_ONE_IN === 5 && person.goneDay === null && person.lists.join() === 'digest';
  return fills && person.joinedDay < FILLED_DAY ? { ...person, fullDay: FILLED_DAY } : person;
}

function makePerson(index: number): Person {
  const random = makeRandom(SEED + index * 7919);
  const [first, last] = [random.pick(FIRST_NAMES), random.pick(LAST_NAMES)];
  const domain = random.weighted(DOMAINS);
  const joinedDay = random.chance(0.35) ? -random.whole(1, 300) : seasonalDay(random.between(0, 1));
  const lists = listsOf(random);
  const cares = joinedDay + Math.round(-Math.log(1 - random.next()) * 420) + 30;
  const gone = random.chance(0.035) ? random.whole(Math.max(0, joinedDay), HISTORY_DAYS + 40) : null;
  return {
    index,
    name: `${first} ${last}`,
    address: `${`${first}.${last}`.toLowerCase().replace(/[^a-z.]/g, '')}@${domain}`,
    domain,
    joinedDay,
    lists,
    confirmed: random.chance(0.9),
    interest: 0.12 + 0.7 * random.next() ** 1.3,
    curiosity: 0.05 + 0.35 * random.next() ** 2,
    fadesDay: cares,
    returnsDay: random.chance(0.12) ? cares + random.whole(40, 200) : null,
    goneDay: gone,
    fullDay: gone === null && random.chance(0.012) ? random.whole(Math.max(0, joinedDay), HISTORY_DAYS + 20) : null,
    complains: random.chance(0.01),
    buys: random.chance(0.3),
  };
}

/** More people sign up in the dark half of the year, when the open evenings are. */
function seasonalDay(at: number): number {
  return Math.min(HISTORY_DAYS - 1, Math.floor(HISTORY_DAYS * (at + 0.05 * Math.sin(at * 4 * Math.PI))));
}

function listsOf(random: ReturnType<typeof makeRandom>): ListKey[] {
  const lists: ListKey[] = [];
  if (random.chance(0.68)) lists.push('digest');
  if (random.chance(0.24)) lists.push('members');
  if (random.chance(0.32)) lists.push('evenings');
  if (random.chance(0.22) || lists.length === 0) lists.push('shop');
  return lists;
}

/** How likely this person opens a message on a given day, if they see it. */
export function interestOn(person: Person, day: number): number {
  const cares = day < person.fadesDay || (person.returnsDay !== null && day >= person.returnsDay);
  return cares ? person.interest : person.interest * 0.02;
}
