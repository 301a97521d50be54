/** What the giver fails with when nobody takes the rest. */
class NobodyTakes extends Error {}

/**
 * Turns work that gives pieces one after the other, as within a transaction, into a stream of them. The giver waits until
 * a piece has been taken; when the taker leaves early, the giver's next piece fails, and its transaction is rolled back.
 * @throws what the work fails with
 */
export async function* inPieces<T>(work: (give: (piece: T) => Promise<void>) => Promise<void>): AsyncGenerator<T> {
  let wake: () => void = () => undefined;
  let piece: { value: T; taken: () => void } | undefined;
  let left = false;
  let ended = false;
  let failure: unknown;
  const give = (value: T): Promise<void> => {
    if (left) return Promise.reject(new NobodyTakes());
    return new Promise((taken) => {
      piece = { value, taken };
      wake();
    });
  };
  const working = work(give)
    .catch((error: unknown) => {
      if (!(error instanceof NobodyTakes)) failure = error;
    })
    .finally(() => {
      ended = true;
      wake();
    });
  try {
    for (;;) {
      if (!piece && !ended) await new Promise<void>((resolve) => (wake = resolve));
      if (!piece) break;
      const { value, taken } = piece;
      yield value;
      piece = undefined;
      taken();
    }
  } finally {
    left = true;
    piece?.taken();
    await working;
  }
  if (failure) throw failure as Error;
}
