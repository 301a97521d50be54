/** A bounded cache of look-ups that never change once they are found. What is not found is looked up again. */
export function makeCache<T>(most: number): { get(key: string, find: () => Promise<T>): Promise<T> } {
  const kept = new Map<string, T>();
  return {
    async get(key, find) {
      const known = kept.get(key);
      if (known !== undefined) return known;
      const value = await find();
      if (value !== undefined) {
        if (kept.size >= most) kept.delete(kept.keys().next().value!);
        kept.set(key, value);
      }
      return value;
    },
  };
}
