import { LRUCache } from 'lru-cache';

/** A bounded cache of look-ups that never change once they are found. What is not found is looked up again. */
export function makeCache<T extends NonNullable<unknown>>(
  most: number,
): { get(key: string, find: () => Promise<T | undefined>): Promise<T | undefined> } {
  const kept = new LRUCache<string, T>({ max: most });
  return {
    async get(key, find) {
      const known = kept.get(key);
      if (known !== undefined) return known;
      const value = await find();
      if (value !== undefined) kept.set(key, value);
      return value;
    },
  };
}
