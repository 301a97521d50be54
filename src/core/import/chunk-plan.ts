/** So many rows of a file at most are applied in one transaction, and their outcomes kept as one text. */
export const MOST_CHUNK_ROWS = 20_000;
/** The first chunk is small: until it is read, the database has nothing to do. */
const FIRST_CHUNK_ROWS = 5_000;

/** Rows of a chunk that was applied before, by the number of its first. */
export type DoneChunks = ReadonlyMap<number, number>;

/**
 * How many rows the chunk has that begins at row `firstRow`, from 1: as many as all before it have, within the bounds
 * above. A chunk that is done keeps its rows, however many were planned when it was made, and none reaches into it.
 */
export function planChunks(done: DoneChunks): (firstRow: number) => number {
  const starts = [...done.keys()].sort((a, b) => a - b);
  return (firstRow) => {
    const planned = Math.min(MOST_CHUNK_ROWS, Math.max(FIRST_CHUNK_ROWS, firstRow - 1));
    const next = starts.find((start) => start > firstRow) ?? Infinity;
    return done.get(firstRow) ?? Math.min(planned, next - firstRow);
  };
}
