import { readReturns, type ReadReturns } from '../../core/returns/read-return.ts';

/** What a thread of its own is given to read. */
export interface ReadTask {
  raw: Uint8Array;
  envelopeTos: readonly string[];
}

/** Runs in a worker thread: reading is computation, and would keep everything else waiting. */
export default function read({ raw, envelopeTos }: ReadTask): ReadReturns {
  return readReturns(raw, envelopeTos);
}
