import { quoted } from '../../../shared/quoted.ts';
import type { ConditionNames } from '../../../shared/contract/conditions.ts';

/** A value within a part that can be changed where it stands: a name, a day, a number, the unit of a number. */
export interface Slot {
  text: string;
  /** What may stand in its place; null where anything may. */
  choices: string[] | null;
}

const UNITS = ['hour', 'day', 'week', 'month', 'year'];
const UNIT = `(?:${UNITS.join('|')})s?`;
const SLOTS = new RegExp(String.raw`("(?:[^"\\]|\\.)*")|(\d{4}-\d{2}-\d{2})|(\d+(?:\.\d+)?)|((?<=\d )${UNIT}\b)`, 'g');

/** A part cut into words and slots, in their order. */
export function cutIntoSlots(part: string, names: ConditionNames | undefined): (string | Slot)[] {
  const pieces: (string | Slot)[] = [];
  let at = 0;
  for (const match of part.matchAll(SLOTS)) {
    const [text, name, , , unit] = match;
    const words = part.slice(at, match.index);
    if (words !== '') pieces.push(words);
    pieces.push({ text, choices: name ? namesFor(words, names) : unit ? unitsOf(part.slice(0, match.index)) : null });
    at = match.index + text.length;
  }
  if (at < part.length) pieces.push(part.slice(at));
  return pieces;
}

/**
 * The part with another value in one of its pieces. A number's unit follows it: 1 day, 2 days; and whoever types
 * “60 days” over a number has said both.
 */
export function putIntoSlot(pieces: readonly (string | Slot)[], index: number, value: string): string {
  const texts = pieces.map((piece) => (typeof piece === 'string' ? piece : piece.text));
  const both = new RegExp(String.raw`^(\d+) *(${UNIT})$`).exec(value);
  const [number, unit] = both ? [both[1]!, both[2]!] : [value, texts[index + 2] ?? ''];
  const hasUnit = /^\d/.test(texts[index]!) && new RegExp(`^${UNIT}$`).test(texts[index + 2] ?? '');
  texts[index] = value;
  if (hasUnit && /^\d+$/.test(number)) {
    texts[index] = number;
    texts[index + 2] = inNumber(unit, number);
  }
  return texts.join('');
}

const inNumber = (unit: string, number: string): string =>
  number === '1' ? unit.replace(/s$/, '') : unit.replace(/s?$/, 's');

const unitsOf = (before: string): string[] => UNITS.map((unit) => inNumber(unit, /(\d+) $/.exec(before)?.[1] ?? ''));

function namesFor(words: string, names: ConditionNames | undefined): string[] | null {
  if (!names) return null;
  const after = words.trimEnd().split(' ').pop();
  const all = {
    list: names.lists,
    segment: names.segments,
    snapshot: names.snapshots,
    tagged: names.tags,
    campaign: names.campaigns,
    on: names.suppressionLists,
    attribute: Object.keys(names.attributes),
  }[after ?? ''];
  return all && all.length > 0 ? all.map(quoted) : null;
}
