export interface Lanes {
  /** Begins `work` and waits only while all lanes are taken. @throws what a piece of work failed with before */
  run(work: () => Promise<void>): Promise<void>;
  /** Waits for all that was begun. @throws what a piece of work failed with */
  end(): Promise<void>;
}

/**
 * So many pieces of work at once, begun one after the other. A piece can fail while nobody waits for it: it leaves its
 * failure here, and the next call throws it.
 */
export function makeLanes(most: number): Lanes {
  const busy = new Set<Promise<void>>();
  const failures: unknown[] = [];
  const throwFailure = (): void => {
    if (failures.length > 0) throw failures[0];
  };
  return {
    async run(work) {
      throwFailure();
      const lane: Promise<void> = work()
        .catch((error: unknown) => void failures.push(error))
        .finally(() => busy.delete(lane));
      busy.add(lane);
      if (busy.size >= most) await Promise.race(busy);
      throwFailure();
    },
    async end() {
      await Promise.all(busy);
      throwFailure();
    },
  };
}
