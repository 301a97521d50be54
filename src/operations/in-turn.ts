/** Runs a piece of work once those that came before it have ended, well or not. */
export type InTurn = <T>(work: () => Promise<T>) => Promise<T>;

/** Work of which one piece is done at a time, in the order in which it came. */
export function makeInTurn(): InTurn {
  let last: Promise<unknown> = Promise.resolve();
  return (work) => {
    const mine = last.then(work);
    last = mine.catch(() => undefined);
    return mine;
  };
}
