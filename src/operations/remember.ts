import type { Deps } from './deps.ts';

/** With more names than this, what no longer holds is dropped: what was asked for once may never be asked for again. */
const MOST_REMEMBERED = 500;

/**
 * What `find` gives, kept for so many milliseconds in this process; what failed is not kept. Forget it by
 * `deps.remembered.delete`.
 */
export function remember<T>(deps: Deps, name: string, milliseconds: number, find: () => Promise<T>): Promise<T> {
  const now = deps.now().getTime();
  const known = deps.remembered.get(name);
  if (deps.remembered.size > MOST_REMEMBERED)
    for (const [old, { until }] of deps.remembered) if (until <= now) deps.remembered.delete(old);
  if (known && known.until > now) return known.value as Promise<T>;
  const value = find();
  deps.remembered.set(name, { until: now + milliseconds, value });
  value.catch(() => deps.remembered.delete(name));
  return value;
}

/** What was counted, and when. */
export interface Counted<T> {
  value: T;
  at: Date;
}

/** What takes less, in milliseconds, is counted each time it is asked for. */
const COSTLY_MS = 1000;
/** What is costly holds for so many times as long as it took. */
const HOLDS_TIMES = 10;
/**
 * What is older than it holds, and not older than this, is still given, while it is counted anew for the next who asks.
 */
const GIVEN_FOR_MS = 3_600_000;

interface Costly<T> {
  known?: Counted<T> & { until: number };
  counting?: { begun: number; counted: Promise<Counted<T>> };
}

/**
 * What `count` gives, which may go through millions of rows. If it takes long, it is counted once for all who ask
 * meanwhile, and kept for a while in this process; if not, it is what it is at this moment. Forget it by
 * `forgetCostly`.
 * @throws what `count` fails with, if there is nothing older to give
 */
export function rememberCostly<T>(deps: Deps, name: string, count: () => Promise<T>): Promise<Counted<T>> {
  const now = deps.now().getTime();
  dropOld(deps, now);
  const costly = (deps.costly.get(name) ?? {}) as Costly<T>;
  deps.costly.set(name, costly);
  const { known } = costly;
  if (known && known.until > now) return Promise.resolve(known);
  const isGiven = known !== undefined;
  const isLong = costly.counting && performance.now() - costly.counting.begun > COSTLY_MS;
  // One that began just now may have begun before what is asked about.
  if (!costly.counting || !(isGiven || isLong)) costly.counting = begin(deps, name, costly, count);
  if (!isGiven) return costly.counting.counted;
  costly.counting.counted.catch(() => undefined);
  return Promise.resolve(known);
}

/** What is too old to be given is not kept either: what was asked for once may never be asked for again. */
function dropOld(deps: Deps, now: number): void {
  for (const [name, costly] of deps.costly as Map<string, Costly<unknown>>)
    if (costly.known && costly.known.at.getTime() + GIVEN_FOR_MS <= now && costly.known.until <= now)
      deps.costly.delete(name);
}

function begin<T>(
  deps: Deps,
  name: string,
  costly: Costly<T>,
  count: () => Promise<T>,
): NonNullable<Costly<T>['counting']> {
  const [at, begun] = [deps.now(), performance.now()];
  const work = async (): Promise<Counted<T>> => {
    try {
      const counted = { value: await Promise.resolve().then(count), at };
      const took = performance.now() - begun;
      costly.known = took < COSTLY_MS ? undefined : { ...counted, until: deps.now().getTime() + took * HOLDS_TIMES };
      return counted;
    } finally {
      if (costly.counting === counting) costly.counting = undefined;
      if (!costly.counting && !costly.known && deps.costly.get(name) === costly) deps.costly.delete(name);
    }
  };
  const counting = { begun, counted: work() };
  return counting;
}

/** What was remembered under this name no longer holds. */
export function forgetCostly(deps: Deps, name: string): void {
  deps.costly.delete(name);
}
