const { imul } = Math;
const SLOTS = 8192;
/** Fuller than this, looking for a free slot takes long: it starts over. */
const MOST = 5000;

/**
 * Remembers what `make` made of a text that stands in bytes (ASCII), for texts of which the same few come again and
 * again, as the domains and dates of a file do: neither the text nor the value is made a second time.
 */
export function makeInterned<T>(make: (text: string) => T): (bytes: Uint8Array, from: number, to: number) => T {
  let slots = new Array<{ bytes: Uint8Array; value: T } | undefined>(SLOTS);
  let taken = 0;
  return (bytes, from, to) => {
    // FNV-1a of 32 bits.
    let hash = 0x811c9dc5;
    for (let at = from; at < to; at++) hash = imul(hash ^ bytes[at]!, 0x01000193);
    let slot = hash & (SLOTS - 1);
    for (; slots[slot] !== undefined; slot = (slot + 1) & (SLOTS - 1)) {
      const known = slots[slot]!;
      if (isSame(known.bytes, bytes, from, to)) return known.value;
    }
    const value = make(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.length).toString('latin1', from, to));
    if (++taken > MOST) {
      slots = new Array<undefined>(SLOTS);
      taken = 0;
      return value;
    }
    // A copy: slice of a Buffer is a view, which would keep all that is around it.
    slots[slot] = { bytes: new Uint8Array(bytes.subarray(from, to)), value };
    return value;
  };
}

function isSame(known: Uint8Array, bytes: Uint8Array, from: number, to: number): boolean {
  if (known.length !== to - from) return false;
  for (let at = 0; at < known.length; at++) if (known[at] !== bytes[from + at]) return false;
  return true;
}
