import { partsOf } from './check-names.ts';
import { formatCondition } from './format-condition.ts';
import { parseCondition } from './parse-condition.ts';
import type { Condition } from './tree.ts';

/** Things that conditions call by a name which can change. */
export interface NamedThing {
  kind: 'segment' | 'list' | 'campaign';
  name: string;
}

/** Whether a condition, as text, speaks of this thing. @throws UnreadableCondition */
export function speaksOf(text: string, thing: NamedThing): boolean {
  return [...partsOf(parseCondition(text))].some((part) => renamedPart(part, thing, '') !== part);
}

/** The same condition, in its canonical form, with another name for this thing. @throws UnreadableCondition */
export function renameInCondition(text: string, thing: NamedThing, name: string): string {
  return formatCondition(renamed(parseCondition(text), thing, name));
}

function renamed(condition: Condition, thing: NamedThing, name: string): Condition {
  if (condition.kind === 'and' || condition.kind === 'or')
    return { ...condition, parts: condition.parts.map((part) => renamed(part, thing, name)) };
  if (condition.kind === 'not') return { ...condition, part: renamed(condition.part, thing, name) };
  return renamedPart(condition, thing, name);
}

/** The part with the name that it has for the thing exchanged; the part itself when it has none. */
function renamedPart(part: Condition, thing: NamedThing, name: string): Condition {
  if (part.kind === 'segment') return thing.kind === 'segment' && part.name === thing.name ? { ...part, name } : part;
  if (part.kind === 'list') return thing.kind === 'list' && part.list === thing.name ? { ...part, list: name } : part;
  if (part.kind !== 'event' || thing.kind === 'segment' || part.event[thing.kind] !== thing.name) return part;
  return { ...part, event: { ...part.event, [thing.kind]: name } };
}
