import { makeInterned } from './interned.ts';
import { MAX_ADDRESS_OCTETS, MAX_LOCAL_OCTETS, normalDomain } from '../address/normal-form.ts';

/** Reads addresses that stand in bytes, without making a text of them. */
export interface PlainAddressReader {
  /**
   * Reads an address in ASCII, blanks around it forgiven. False when there is anything about it that is not plain, or
   * wrong: then parseAddress has to say what it is. What is read is exactly what parseAddress would say.
   */
  read(bytes: Uint8Array, from: number, to: number): boolean;
  /** The address that was read last, in its normal form: so many bytes of these, until the next is read. */
  bytes: Uint8Array;
  length(): number;
  domain(): string;
}

const [BLANK, DOT, AT] = [0x20, 0x2e, 0x40];

/** What each byte is in lower case when it may stand in a local part (atext of RFC 5322), else 0. */
const ATEXT = lowerCaseOf(/[A-Za-z0-9!#$%&'*+/=?^_`{|}~-]/);
const DOMAIN_TEXT = lowerCaseOf(/[A-Za-z0-9.-]/);

function lowerCaseOf(pattern: RegExp): Uint8Array {
  return Uint8Array.from({ length: 256 }, (_, code) => {
    const letter = String.fromCharCode(code);
    return code < 0x80 && pattern.test(letter) ? letter.toLowerCase().charCodeAt(0) : 0;
  });
}

export function makePlainAddressReader(): PlainAddressReader {
  const address = new Uint8Array(MAX_ADDRESS_OCTETS);
  const domainOf = makeInterned((text) => (normalDomain(text) === text ? text : null));
  let length = 0;
  let domain = '';

  /** Where the local part ends that begins here, or -1. */
  const readLocal = (bytes: Uint8Array, from: number, to: number): number => {
    let afterDot = true;
    length = 0;
    for (let at = from; at < to; at++) {
      const byte = bytes[at]!;
      const lower = ATEXT[byte]!;
      if (lower === 0) {
        if (byte === AT) return afterDot || length > MAX_LOCAL_OCTETS ? -1 : at;
        if (byte !== DOT || afterDot) return -1;
      }
      afterDot = lower === 0;
      address[length++] = afterDot ? DOT : lower;
    }
    return -1;
  };
  return {
    read(bytes, from, to) {
      while (from < to && bytes[from] === BLANK) from++;
      while (to > from && bytes[to - 1] === BLANK) to--;
      if (to - from > MAX_ADDRESS_OCTETS) return false;
      const end = readLocal(bytes, from, to);
      if (end < 0) return false;
      address[length++] = AT;
      const begun = length;
      for (let at = end + 1; at < to; at++) {
        const lower = DOMAIN_TEXT[bytes[at]!]!;
        if (lower === 0) return false;
        address[length++] = lower;
      }
      const known = domainOf(address, begun, length);
      domain = known ?? '';
      return known !== null;
    },
    bytes: address,
    length: () => length,
    domain: () => domain,
  };
}
