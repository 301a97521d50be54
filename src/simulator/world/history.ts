import { HISTORY_DAYS, interestOn, type ListKey, type Person } from './people.ts';
import { makeRandom, type Random } from './random.ts';

/** One campaign of the past. */
export interface PastCampaign {
  key: string;
  name: string;
  subject: string;
  list: ListKey;
  day: number;
  /** Milliseconds after the day's beginning. */
  sentAt: number;
}

/** One event of the past, before it is given its campaign's number. */
export interface PastEvent {
  kind:
    | 'sent'
    | 'bounced'
    | 'opened'
    | 'clicked'
    | 'complained'
    | 'unsubscribed'
    | 'purchased'
    | 'visited'
    | 'replied'
    | 'confirmed';
  person: Person;
  campaign: PastCampaign | null;
  list: ListKey;
  /** Milliseconds since the beginning of the history. */
  at: number;
  detail: Record<string, unknown>;
}

const DAY = 86_400_000;
const HOUR = 3_600_000;
const MINUTE = 60_000;
/** The day on which hearthmail.example could not be reached. */
export const BAD_DAY = HISTORY_DAYS - 33;
export const SCANNER_DOMAIN = 'tollgate-freight.example';
export const PROXY_DOMAIN = 'gauzepost.example';
const BAD_DAY_DOMAIN = 'hearthmail.example';

const SKIES = [
  'Saturn at its best',
  'A comet before dawn',
  'The winter hexagon',
  'Where to find Mars',
  'A total eclipse of the Moon',
  'Perseids and thunder',
  'The summer triangle',
  'Jupiter returns',
  'Dark skies week',
  'Noctilucent clouds',
];

/**
 * The calendar of fourteen months: a weekly digest, a monthly letter, open evenings (more of them in winter), notes of
 * the shop.
 */
export function makeCalendar(): PastCampaign[] {
  const campaigns: PastCampaign[] = [];
  const add = (list: ListKey, name: string, day: number, hour: number, subject: string): void => {
    campaigns.push({ key: `${list}-${day}`, name, subject, list, day, sentAt: hour * HOUR });
  };
  for (let issue = 1, day = 4; day < HISTORY_DAYS - 1; day += 7, issue++)
    add('digest', `Night Digest ${issue}`, day, 8.5, SKIES[issue % SKIES.length]!);
  for (let issue = 1, day = 10; day < HISTORY_DAYS - 1; day += 30, issue++)
    add('members', `Members’ Letter ${issue}`, day, 10, 'From the dome: news for members');
  for (let issue = 1, day = 15; day < HISTORY_DAYS - 1; issue++) {
    add('evenings', `Open Evenings ${issue}`, day, 17, 'Come and look through the great refractor');
    day += isWinter(day) ? 16 : 34;
  }
  for (let issue = 1, day = 20; day < HISTORY_DAYS - 1; day += 29, issue++)
    add('shop', `Shop Notes ${issue}`, day, 9, 'Planispheres are back');
  return campaigns.sort((a, b) => a.day - b.day || a.sentAt - b.sentAt);
}

/** The history begins in late September. */
function isWinter(day: number): boolean {
  const ofYear = day % 365;
  return ofYear < 170;
}

/**
 * What befell the people so far, as the system that sent then knew it: it did not write to the gone, the leavers and
 * the complainers again.
 */
interface Standing {
  gone: Set<number>;
  left: Set<string>;
  full: Map<number, number>;
}

/** The events of fourteen months, campaign by campaign, in order of time within each. Seeded: always the same. */
export function* makeHistory(people: Person[], calendar: PastCampaign[]): Generator<PastEvent[]> {
  const standing: Standing = { gone: new Set(), left: new Set(), full: new Map() };
  yield confirmations(people);
  for (const campaign of calendar) {
    const random = makeRandom(campaign.day * 104_729 + campaign.list.length);
    const events: PastEvent[] = [];
    for (const person of people)
      if (isWrittenTo(person, campaign, standing)) events.push(...live(person, campaign, standing, random));
    yield events;
  }
}

function confirmations(people: Person[]): PastEvent[] {
  return people
    .filter((person) => person.lists.includes('members') && person.confirmed)
    .map((person) => ({
      kind: 'confirmed',
      person,
      campaign: null,
      list: 'members',
      at: person.joinedDay * DAY + 20 * HOUR,
      detail: { way: 'confirmation page' },
    }));
}

function isWrittenTo(person: Person, campaign: PastCampaign, standing: Standing): boolean {
  if (!person.lists.includes(campaign.list) || person.joinedDay >= campaign.day) return false;
  if (campaign.list === 'members' && !person.confirmed) return false;
  return (
    !standing.gone.has(person.index) &&
    !standing.left.has(`${person.index} ${campaign.list}`) &&
    (standing.full.get(person.index) ?? 0) < 4
  );
}

function live(person: Person, campaign: PastCampaign, standing: Standing, random: Random): PastEvent[] {
  const sentAt = campaign.day * DAY + campaign.sentAt + random.whole(0, 12) * MINUTE;
  const event = (kind: PastEvent['kind'], after: number, detail: Record<string, unknown> = {}): PastEvent => ({
    kind,
    person,
    campaign,
    list: campaign.list,
    at: sentAt + after,
    detail,
  });
  const events = [event('sent', 0)];
  const bounce = bounceOf(person, campaign, standing, random);
  if (bounce) return [...events, event('bounced', random.whole(1, 50) * MINUTE, bounce)];
  if (person.domain === SCANNER_DOMAIN) events.push(...scans(event, random));
  if (person.domain === PROXY_DOMAIN)
    events.push(event('opened', random.whole(2, 40) * 1000, { userAgent: 'GauzePost-ImageProxy/2.1' }));
  if (!random.chance(interestOn(person, campaign.day))) return events;
  return [...events, ...reads(person, campaign, standing, event, random)];
}

function bounceOf(
  person: Person,
  campaign: PastCampaign,
  standing: Standing,
  random: Random,
): Record<string, unknown> | undefined {
  if (person.goneDay !== null && campaign.day >= person.goneDay) {
    standing.gone.add(person.index);
    return { class: 'hard', status: '5.1.1', reply: `550 5.1.1 <${person.address}>: no such user here` };
  }
  if (person.fullDay !== null && campaign.day >= person.fullDay) {
    standing.full.set(person.index, (standing.full.get(person.index) ?? 0) + 1);
    return { class: 'soft', status: '5.2.2', reply: '552 5.2.2 mailbox full: over quota' };
  }
  if (Math.abs(campaign.day - BAD_DAY) <= 1 && person.domain === BAD_DAY_DOMAIN && random.chance(0.6))
    return { class: 'soft', status: '4.4.1', reply: '451 4.4.1 no answer from host, tried for 48 h' };
  if (random.chance(0.0012)) return { class: 'soft', status: '4.4.1', reply: '451 4.4.1 connection timed out' };
  return random.chance(0.0006)
    ? { class: 'block', status: '5.7.1', reply: '554 5.7.1 message refused: content policy' }
    : undefined;
}

type MakeEvent = (kind: PastEvent['kind'], after: number, detail?: Record<string, unknown>) => PastEvent;

/** A company's scanner follows every link within a second of delivery, the trap link too. */
function scans(event: MakeEvent, random: Random): PastEvent[] {
  const start = random.whole(300, 900);
  const userAgent = 'Tollgate-LinkScanner/4 (bot)';
  return [0, 1, 2].map((link) =>
    event('clicked', start + link * 60, {
      link,
      userAgent,
      ...(link === 0 ? {} : { url: `https://larkfield.example/read/${link}` }),
    }),
  );
}

function reads(
  person: Person,
  campaign: PastCampaign,
  standing: Standing,
  event: MakeEvent,
  random: Random,
): PastEvent[] {
  const openedAfter = Math.round(3 * MINUTE + random.next() ** 3 * 40 * HOUR);
  const userAgent = random.chance(0.5) ? 'Mozilla/5.0 (Mobile) Mail' : 'Mozilla/5.0 (X11) Mail';
  const events = [event('opened', openedAfter, { userAgent })];
  if (random.chance(person.curiosity)) {
    const clickedAfter = openedAfter + random.whole(8, 200) * 1000;
    const link = random.whole(1, 3);
    events.push(event('clicked', clickedAfter, { link, userAgent, url: 'https://larkfield.example/read' }));
    if (link < 3) events.push(event('visited', clickedAfter + 9000, { what: 'https://larkfield.example/read' }));
    if (campaign.list === 'evenings' && person.buys && link === 1)
      events.push(event('purchased', clickedAfter + 4 * MINUTE, { what: 'Open evening, two seats' }));
  }
  if (campaign.list === 'shop' && person.buys && random.chance(0.15))
    events.push(event('purchased', openedAfter + 12 * MINUTE, { what: 'Planisphere, northern sky' }));
  if (random.chance(0.0015)) events.push(event('replied', openedAfter + 30 * MINUTE, { way: 'mail' }));
  const leaves = random.chance(0.0035);
  const complains = person.complains && random.chance(0.08);
  if (leaves) events.push(event('unsubscribed', openedAfter + MINUTE, { way: 'one click' }));
  if (complains) events.push(event('complained', openedAfter + 2 * MINUTE, { way: 'complaint report' }));
  if (leaves) standing.left.add(`${person.index} ${campaign.list}`);
  if (complains) for (const list of person.lists) standing.left.add(`${person.index} ${list}`);
  return events;
}
