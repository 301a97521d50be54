import type { Deps } from './deps.ts';

/** What `find` gives, kept for so many milliseconds in this process; what failed is not kept. Forget it by `deps.remembered.delete`. */
export function remember<T>(deps: Deps, name: string, milliseconds: number, find: () => Promise<T>): Promise<T> {
  const now = deps.now().getTime();
  const known = deps.remembered.get(name);
  if (known && known.until > now) return known.value as Promise<T>;
  const value = find();
  deps.remembered.set(name, { until: now + milliseconds, value });
  value.catch(() => deps.remembered.delete(name));
  return value;
}
