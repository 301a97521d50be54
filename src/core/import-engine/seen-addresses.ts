import { fingerprint, fingerprintText, FINGERPRINT_WORDS } from './fingerprint.ts';

/**
 * Remembers which addresses of one file have passed, and in which row each stood first, in 16 bytes a slot: a file of
 * two million rows needs at most 64 MB, where a map of strings takes several times as much. An address is known by its
 * fingerprint.
 */
export interface SeenAddresses {
  /** The row an address stood in before, or undefined when this is its first. Rows count from 1. */
  firstRow(address: string, row: number): number | undefined;
  /** The same of an address that is so many bytes (UTF-8) of these. */
  firstRowOfBytes(bytes: Uint8Array, length: number, row: number): number | undefined;
}

const FIRST_SLOTS = 1 << 16;
/** What is expected is a guess: no more than 32 MB are taken for it at once. */
const MOST_EXPECTED = 1_400_000;
/** Fuller than this, looking for a free slot takes long. */
const FULLEST = 0.7;

/**
 * A set of addresses by a print of 96 bits each, 16 bytes an address whatever its length; `seed` makes prints
 * unguessable. For some number of addresses, roughly.
 */
export function makeSeenAddresses(seed: number, expected: number): SeenAddresses {
  let mask = Math.max(FIRST_SLOTS, 2 ** Math.ceil(Math.log2(Math.min(expected, MOST_EXPECTED) / FULLEST))) - 1;
  let table = new Uint32Array((mask + 1) * 4);
  let taken = 0;
  const print = new Uint32Array(FINGERPRINT_WORDS);

  const grow = (): void => {
    const old = table;
    table = new Uint32Array(old.length * 2);
    mask = table.length / 4 - 1;
    for (let at = 0; at < old.length; at += 4) {
      if (old[at + 3] === 0) continue;
      const to = findSlot(table, mask, old[at]!, old[at + 1]!, old[at + 2]!);
      for (let part = 0; part < 4; part++) table[to + part] = old[at + part]!;
    }
  };
  const firstRowOfPrint = (row: number): number | undefined => {
    const at = findSlot(table, mask, print[0]!, print[1]!, print[2]!);
    if (table[at + 3] !== 0) return table[at + 3];
    for (let word = 0; word < FINGERPRINT_WORDS; word++) table[at + word] = print[word]!;
    table[at + 3] = row;
    if (++taken > (mask + 1) * FULLEST) grow();
    return undefined;
  };
  return {
    firstRow(address, row) {
      fingerprintText(address, seed, print);
      return firstRowOfPrint(row);
    },
    firstRowOfBytes(bytes, length, row) {
      fingerprint(bytes, 0, length, seed, print);
      return firstRowOfPrint(row);
    },
  };
}

/** The slot that holds this fingerprint, or the free one it belongs in (linear probing). */
function findSlot(table: Uint32Array, mask: number, a: number, b: number, c: number): number {
  for (let slot = a & mask; ; slot = (slot + 1) & mask) {
    const at = slot * 4;
    if (table[at + 3] === 0 || (table[at] === a && table[at + 1] === b && table[at + 2] === c)) return at;
  }
}
