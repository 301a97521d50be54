import { quoted } from '../../../shared/quoted.ts';
import type { ConditionNames } from '../../../shared/contract/conditions.ts';

const EVENTS = ['read', 'clicked', 'opened', 'purchased', 'visited', 'replied', 'bounced', 'sent'];
const FIXED = [
  ...EVENTS.map((act) => `${act} in the last 30 days`),
  ...EVENTS.slice(0, 4).map((act) => `never ${act} in the last 90 days`),
  // Whole on their own, and the beginning of others: Enter takes what is typed, not what goes on from it.
  ...EVENTS,
  ...EVENTS.map((act) => `never ${act}`),
  'bounced soft',
  'bounced hard',
  'sent at least 24 times',
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
    ...Object.entries(names.attributes).map(
      ([name, { type, choices }]) =>
        `attribute ${quoted(name)} ${choices?.[0] ? `is ${quoted(choices[0])}` : TESTS[type]}`,
    ),
    ...names.suppressionLists.map((name) => `suppressed on ${quoted(name)}`),
    ...names.campaigns.slice(0, 20).map((name) => `clicked in campaign ${quoted(name)}`),
  ];
}

/**
 * What goes on from what is typed, the nearest first; also behind “not”. None where numbers or whole names were typed:
 * whoever writes those knows how the part goes, and a suggestion would put others in their place.
 */
export function completePart(typed: string, names: ConditionNames | undefined): string[] {
  const [, not, begun] = /^(not\s+)?(.*)$/s.exec(typed.trimStart())!;
  const sought = begun!.toLowerCase();
  const outside = sought.replaceAll(/"[^"]*"?/g, '');
  if (/\d/.test(outside) || /"[^"]*"/.test(sought)) return [];
  return suggestParts(names)
    .map((part) => ({ part, far: distance(part.toLowerCase(), sought) }))
    .filter(({ far }) => far < 3)
    .sort((one, other) => one.far - other.far)
    .slice(0, 12)
    .map(({ part }) => (not ? `not ${part}` : part));
}

/** 0 for the same, 1 for what begins so, 2 for what has a word that begins so, 3 for the rest. */
function distance(part: string, sought: string): number {
  if (part === sought.trimEnd()) return 0;
  if (part.startsWith(sought)) return 1;
  return [...part.matchAll(/[\p{L}\p{N}]+/gu)].some(({ index }) => part.startsWith(sought, index)) ? 2 : 3;
}
