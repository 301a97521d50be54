import { quoted } from '../../../shared/quoted.ts';
import type { ConditionNames } from '../../../shared/api-segments.ts';

const EVENTS = ['read', 'clicked', 'opened', 'purchased', 'visited', 'replied', 'bounced', 'sent'];
const FIXED = [
  ...EVENTS.map((act) => `${act} in the last 30 days`),
  ...EVENTS.slice(0, 4).map((act) => `never ${act} in the last 90 days`),
  'sent at least 20 times',
  'bounced soft at least 3 times in the last 45 days',
  'purchased at least 2 times in the last 12 months',
  'first clicked more than 60 days ago',
  'clicked since last purchased',
  'joined in the last 60 days',
  'newcomer',
  'silent for 90 days with at least 8 messages',
  'score is at least 20',
  'stage is engaged',
  'stage is one of (fading, dormant)',
  'deliverability is doubtful',
  'verdict is risky',
  'waiting on any list',
  'left any list',
  'suppressed',
  'may be mailed',
  'may not be mailed',
  'may not be mailed by any brand',
  'archived',
  'automated',
  'domain looks mistyped',
  'name is set',
  'everyone',
];

const TESTS: Readonly<Record<ConditionNames['attributes'][string]['type'], string>> = {
  text: 'is set',
  number: 'is at least 1',
  date: 'is set',
  'yes-no': 'is yes',
  choice: 'is set',
};

/** Parts to begin with, by what this brand has. */
export function suggestParts(names: ConditionNames | undefined): string[] {
  if (!names) return FIXED;
  return [
    ...names.lists.map((name) => `on list ${quoted(name)}`),
    ...FIXED,
    ...names.lists.flatMap((name) => [`left list ${quoted(name)}`, `waiting on list ${quoted(name)}`]),
    ...names.segments.map((name) => `segment ${quoted(name)}`),
    ...names.snapshots.map((name) => `in snapshot ${quoted(name)}`),
    ...names.tags.map((name) => `tagged ${quoted(name)}`),
    ...Object.entries(names.attributes).map(([name, { type, choices }]) => `attribute ${quoted(name)} ${choices?.[0] ? `is ${quoted(choices[0])}` : TESTS[type]}`),
    ...names.suppressionLists.map((name) => `suppressed on ${quoted(name)}`),
    ...names.campaigns.slice(0, 20).map((name) => `clicked in campaign ${quoted(name)}`),
  ]; // prettier-ignore
}

/** A value within a part that can be changed where it stands: a name, a day, a number with what it counts. */
export interface Slot {
  text: string;
  /** Names that may stand in its place; none where anything may. */
  choices: string[] | null;
}

const SLOTS =
  /("(?:[^"\\]|\\.)*")|(\d{4}-\d{2}-\d{2})|(\d+(?:\.\d+)?(?: (?:hour|day|week|month|year|time|message)s?)?)/g;

/** A part cut into words and slots, in their order. */
export function cutIntoSlots(part: string, names: ConditionNames | undefined): (string | Slot)[] {
  const pieces: (string | Slot)[] = [];
  let at = 0;
  for (const match of part.matchAll(SLOTS)) {
    const words = part.slice(at, match.index);
    if (words !== '') pieces.push(words);
    pieces.push({ text: match[0], choices: match[1] === undefined ? null : namesFor(words, names) });
    at = match.index + match[0].length;
  }
  if (at < part.length) pieces.push(part.slice(at));
  return pieces;
}

function namesFor(words: string, names: ConditionNames | undefined): string[] | null {
  if (!names) return null;
  const after = words.trimEnd().split(' ').pop();
  const all = { list: names.lists, segment: names.segments, snapshot: names.snapshots, tagged: names.tags, campaign: names.campaigns, on: names.suppressionLists, attribute: Object.keys(names.attributes) }[after ?? '']; // prettier-ignore
  return all && all.length > 0 ? all.map(quoted) : null;
}
