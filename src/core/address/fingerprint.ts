/** Words of a fingerprint: three of 32 bits. */
export const FINGERPRINT_WORDS = 3;

/**
 * A fingerprint of 96 bits of a text, under a seed, into `into`: three lanes of multiply-and-rotate over UTF-16 units, each
 * fed by the one before. That two of two million different texts share it has a chance below 1 in 10^16; not for secrets.
 */
export function fingerprint(text: string, seed: number, into: Uint32Array): void {
  let a = seed ^ 0x9e3779b9;
  let b = seed ^ 0x85ebca6b;
  let c = seed ^ text.length;
  for (let at = 0; at < text.length; at++) {
    a = Math.imul(a ^ text.charCodeAt(at), 0xcc9e2d51);
    a = (a << 15) | (a >>> 17);
    b = Math.imul(b ^ a, 0x1b873593);
    b = (b << 13) | (b >>> 19);
    c = Math.imul(c + b, 0x2c1b3c6d) ^ (c >>> 16);
  }
  into[0] = Math.imul(a ^ (a >>> 16), 0x85ebca6b) ^ c;
  into[1] = Math.imul(b ^ (b >>> 15), 0xc2b2ae35) ^ a;
  into[2] = c ^ (c >>> 13);
}
