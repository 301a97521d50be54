/** How a receiving domain has done here. */
export interface DomainStanding {
  domain: string;
  contacts: number;
  /** Messages accepted for it, and those of them that did not come back. */
  accepted: number;
  delivered: number;
}

export interface LookAlike {
  proposed: DomainStanding;
  /** What was given, with how it has done. */
  given: DomainStanding;
  distance: number;
}

/** Beyond this a domain is another domain, not a slip. */
const FARTHEST = 1.5;
/** So many times more contacts make a domain "far more common", and so many in all. */
const TIMES_MORE = 20;
const FEWEST = 25;
/** A domain that is proposed must itself deliver. */
const DELIVERS = 0.5;

/**
 * The domain that a given one is probably a slip of: close by keyboard and edits, far more common among the
 * organisation's own contacts, and delivering, while the given one has never delivered. Learned from `known`, not from
 * a list of providers. Nothing where there is no such domain.
 */
export function findLookAlike(domain: string, known: readonly DomainStanding[]): LookAlike | undefined {
  return makeLookAlikeFinder(known)(domain);
}

/** The same for many domains: what is known is gone through once. */
export function makeLookAlikeFinder(known: readonly DomainStanding[]): (domain: string) => LookAlike | undefined {
  const standings = new Map(known.map((one) => [one.domain, one]));
  const proposable = known.filter(isProposable);
  return (domain) => nearest(standings.get(domain) ?? { domain, contacts: 0, accepted: 0, delivered: 0 }, proposable);
}

/** Most domains that are compared: those with most contacts. What is rarer is rarer than a slip worth a look. */
const MOST_COMPARED = 5000;

/**
 * The domains among these that are probably slips, each with what was probably meant; those with most contacts first.
 */
export function listLookAlikes(known: readonly DomainStanding[]): LookAlike[] {
  const find = makeLookAlikeFinder(known);
  return known
    .filter((one) => one.delivered === 0)
    .sort((a, b) => b.contacts - a.contacts)
    .slice(0, MOST_COMPARED)
    .flatMap((one) => find(one.domain) ?? []);
}

function isProposable(one: DomainStanding): boolean {
  return one.contacts >= FEWEST && one.accepted > 0 && one.delivered / one.accepted >= DELIVERS;
}

function nearest(given: DomainStanding, proposable: readonly DomainStanding[]): LookAlike | undefined {
  if (given.delivered > 0) return undefined;
  const { domain } = given;
  const candidates = proposable
    .filter((one) => one.domain !== domain && one.contacts >= TIMES_MORE * given.contacts)
    .map((proposed) => ({ proposed, given, distance: slipDistance(domain, proposed.domain) }))
    .filter((one) => one.distance <= FARTHEST)
    .sort((a, b) => a.distance - b.distance || b.proposed.contacts - a.proposed.contacts);
  return candidates[0];
}

const ROWS = ['1234567890-', 'qwertyuiop', 'asdfghjkl', 'zxcvbnm.'];
const PLACES = new Map(ROWS.flatMap((row, y) => [...row].map((key, x) => [key, { x: x + y / 2, y }] as const)));

function areNeighbours(a: string, b: string): boolean {
  const [from, to] = [PLACES.get(a), PLACES.get(b)];
  return from !== undefined && to !== undefined && Math.abs(from.x - to.x) <= 1 && Math.abs(from.y - to.y) <= 1;
}

/**
 * How far a slip of the fingers is: edits by optimal string alignment, where two keys swapped, a key doubled or a
 * neighbouring key cost half of another edit. Stops early when the lengths alone are too far apart.
 */
export function slipDistance(a: string, b: string): number {
  if (Math.abs(a.length - b.length) > FARTHEST * 2) return Infinity;
  const rows: number[][] = [Array.from({ length: b.length + 1 }, (_, column) => column)];
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    for (let j = 1; j <= b.length; j++) row.push(cheapest(rows, row, a, b, i, j));
    rows.push(row);
  }
  return rows[a.length]![b.length]!;
}

function cheapest(rows: number[][], row: number[], a: string, b: string, i: number, j: number): number {
  const [x, y] = [a[i - 1]!, b[j - 1]!];
  const replaced = rows[i - 1]![j - 1]! + (x === y ? 0 : areNeighbours(x, y) ? 0.5 : 1);
  const removed = rows[i - 1]![j]! + (x === a[i - 2] ? 0.5 : 1);
  const added = row[j - 1]! + (y === b[j - 2] ? 0.5 : 1);
  const swapped = i > 1 && j > 1 && x === b[j - 2] && a[i - 2] === y ? rows[i - 2]![j - 2]! + 0.5 : Infinity;
  return Math.min(replaced, removed, added, swapped);
}
