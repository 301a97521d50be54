import { UsageError } from './usage-error.ts';

/** Arguments of the form `name=value`, as an object. */
export function readPairs(pairs: string[]): Record<string, string> {
  return Object.fromEntries(
    pairs.map((pair) => {
      const at = pair.lastIndexOf('=');
      if (at < 0) throw new UsageError(`Give pairs with = between, not “${pair}”.`);
      return [pair.slice(0, at), pair.slice(at + 1).trim()];
    }),
  );
}
