const { imul } = Math;

/** Words of a fingerprint: three of 32 bits. */
export const FINGERPRINT_WORDS = 3;

/**
 * A fingerprint of 96 bits of a text that stands in bytes (UTF-8), under a seed, into `into`: three lanes of
 * multiply-and-rotate, each fed by the one before. That two of two million different texts share it has a chance below
 * 1 in 10^16; not for secrets.
 */
export function fingerprint(bytes: Uint8Array, from: number, to: number, seed: number, into: Uint32Array): void {
  let a = seed ^ 0x9e3779b9;
  let b = seed ^ 0x85ebca6b;
  let c = seed ^ (to - from);
  for (let at = from; at < to; at++) {
    a = imul(a ^ bytes[at]!, 0xcc9e2d51);
    a = (a << 15) | (a >>> 17);
    b = imul(b ^ a, 0x1b873593);
    b = (b << 13) | (b >>> 19);
    c = imul(c + b, 0x2c1b3c6d) ^ (c >>> 16);
  }
  into[0] = imul(a ^ (a >>> 16), 0x85ebca6b) ^ c;
  into[1] = imul(b ^ (b >>> 15), 0xc2b2ae35) ^ a;
  into[2] = c ^ (c >>> 13);
}

/** The fingerprint of a text that does not stand in bytes yet. */
export function fingerprintText(text: string, seed: number, into: Uint32Array): void {
  if (text.length * MOST_BYTES_A_UNIT > scratch.length) scratch = Buffer.allocUnsafe(text.length * MOST_BYTES_A_UNIT);
  fingerprint(scratch, 0, scratch.write(text), seed, into);
}

/** UTF-8 takes at most three bytes for a UTF-16 unit. */
const MOST_BYTES_A_UNIT = 3;
let scratch = Buffer.allocUnsafe(1024);
