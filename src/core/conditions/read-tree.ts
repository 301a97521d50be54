import { formatCondition } from './format-condition.ts';
import { parseCondition } from './parse-condition.ts';
import { UnreadableCondition, withoutSpans, type Condition } from './tree.ts';

/**
 * Reads the JSON form of a condition, as programs write it: the same tree that previews answer. Whatever its text reads
 * back as must be the same tree again, so nothing that the language cannot say comes in this way.
 * @throws UnreadableCondition when it is none
 */
export function readTree(value: unknown): Condition {
  const none = new UnreadableCondition({
    code: 'unreadable',
    from: 0,
    to: 0,
    message: 'This is not the tree of a condition. Its form is what a preview answers as “tree”.',
  });
  let condition: Condition;
  try {
    condition = parseCondition(formatCondition(value as Condition));
  } catch {
    throw none;
  }
  if (sorted(withoutSpans(condition)) !== sorted(value)) throw none;
  return condition;
}

/** JSON with the names of each object in order. */
function sorted(value: unknown): string {
  return JSON.stringify(value, (_, inner: unknown) =>
    inner !== null && typeof inner === 'object' && !Array.isArray(inner)
      ? Object.fromEntries(Object.entries(inner).sort(([a], [b]) => (a < b ? -1 : 1)))
      : inner,
  );
}
