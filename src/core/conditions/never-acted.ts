import type { Condition, EventTest } from './tree.ts';

/** A part that asks when somebody last did something, before some time; and who never did it. */
export interface LongAgo {
  part: Condition;
  never: Condition;
}

/**
 * Parts like “last clicked more than 6 months ago”, as far as no other part says what of who never clicked. People read
 * them as “has not clicked for 6 months”, but who never clicked has no last click, and is not among them.
 */
export function findLongAgo(condition: Condition): LongAgo[] {
  switch (condition.kind) {
    case 'and':
      return condition.parts.flatMap(findLongAgo);
    case 'or':
      // With “or not clicked” beside it, it was thought of.
      return condition.parts
        .flatMap(findLongAgo)
        .filter(({ never }) => !condition.parts.some((part) => sameAsNever(part, never)));
    case 'event': {
      const { event } = condition;
      const isLongAgo = event.which === 'last' && (event.when?.kind === 'ago' || event.when?.kind === 'before');
      return isLongAgo ? [{ part: condition, never: neverDid(event) }] : [];
    }
    default:
      return [];
  }
}

function neverDid(event: EventTest): Condition {
  return { kind: 'not', part: { kind: 'event', event: { ...event, which: 'any', when: null } } };
}

function sameAsNever(part: Condition, never: Condition): boolean {
  if (part.kind !== 'not' || part.part.kind !== 'event' || never.kind !== 'not' || never.part.kind !== 'event')
    return false;
  return JSON.stringify(part.part.event) === JSON.stringify(never.part.event);
}
