import { fingerprint, fingerprintText, FINGERPRINT_WORDS } from './fingerprint.ts';

/**
 * Which of very many texts may stand in a set (a Bloom filter): who does not pass certainly does not stand in it; who
 * passes has to be looked up. At least two bytes a text, whatever its length; of others at most one in a thousand
 * passes.
 */
export interface Sieve {
  add(text: string): void;
  mayHold(text: string): boolean;
  /** The same of a text that stands in bytes (UTF-8). */
  mayHoldBytes(bytes: Uint8Array, from: number, to: number): boolean;
}

const BITS_A_TEXT = 16;
/** With 16 bits a text, 6 places let one other in 1,070 pass; 11, the best there is, would let one in 2,200. */
const PLACES = 6;

/** Makes a sieve for up to `texts` of them; for more it still holds all, and lets more others pass. */
export function makeSieve(texts: number): Sieve {
  const bits = 2 ** Math.ceil(Math.log2(Math.max(1024, texts * BITS_A_TEXT)));
  const words = new Uint32Array(bits / 32);
  const print = new Uint32Array(FINGERPRINT_WORDS);
  const mask = bits - 1;
  const passes = (): boolean => {
    for (let n = 0, at = print[0]!; n < PLACES; n++, at = (at + print[1]!) | 0) {
      if ((words[(at & mask) >>> 5]! & (1 << (at & 31))) === 0) return false;
    }
    return true;
  };
  return {
    add(text) {
      fingerprintText(text, 0, print);
      // Places by double hashing (Kirsch and Mitzenmacher 2006): as good as so many independent ones.
      for (let n = 0, at = print[0]!; n < PLACES; n++, at = (at + print[1]!) | 0)
        words[(at & mask) >>> 5]! |= 1 << (at & 31);
    },
    mayHold(text) {
      fingerprintText(text, 0, print);
      return passes();
    },
    mayHoldBytes(bytes, from, to) {
      fingerprint(bytes, from, to, 0, print);
      return passes();
    },
  };
}
