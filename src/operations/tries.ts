import type { Deps } from './deps.ts';

/** Tries without coming further than the one before. */
const MOST_TRIES = 5;
/** Before the second try; before each further one as much longer. */
const PAUSE_MS = 1000;

interface Tries {
  count: number;
  standing: number;
  /** Not before, in milliseconds. */
  next: number;
}

export interface Tried<T> {
  work: (id: number) => Promise<T>;
  /** How far the work has come: whether a try got any further than the one before. */
  standing: (id: number) => Promise<number>;
  giveUp: (id: number, tries: number, error: unknown) => Promise<void>;
  /** Is told of each stop. */
  log: (id: number, error: unknown) => void;
}

/**
 * Works long work through. What stops for a reason that is not its own is tried again, after a pause, from where it
 * stopped; when that helps nothing it is given up. It never stands in the way of another: `waits` until its pause is
 * over.
 */
export function makeTries<T>(
  { now }: Pick<Deps, 'now'>,
  { work, standing, giveUp, log }: Tried<T>,
): (id: number) => Promise<T | 'waits'> {
  const stopped = new Map<number, Tries>();
  return async (id) => {
    const before = stopped.get(id);
    if (before && now().getTime() < before.next) return 'waits';
    try {
      const done = await work(id);
      stopped.delete(id);
      return done;
    } catch (error) {
      log(id, error);
      const reached = await standing(id);
      const count = before?.standing === reached ? before.count + 1 : 1;
      stopped.set(id, { count, standing: reached, next: now().getTime() + count * PAUSE_MS });
      if (count < MOST_TRIES) return 'waits';
      stopped.delete(id);
      await giveUp(id, count, error);
      return 'waits';
    }
  };
}
