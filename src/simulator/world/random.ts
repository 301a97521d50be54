/** A seeded source of numbers (mulberry32): the same seed gives the same world on every machine. */
export interface Random {
  /** From 0 to just under 1. */
  next(): number;
  between(low: number, high: number): number;
  whole(low: number, high: number): number;
  chance(probability: number): boolean;
  pick<T>(items: readonly T[]): T;
  weighted<T>(items: readonly (readonly [T, number])[]): T;
}

export function makeRandom(seed: number): Random {
  let state = seed >>> 0;
  const next = (): number => {
    state = (state + 0x6d2b79f5) >>> 0;
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state);
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed;
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4_294_967_296;
  };
  return {
    next,
    between: (low, high) => low + next() * (high - low),
    whole: (low, high) => low + Math.floor(next() * (high - low + 1)),
    chance: (probability) => next() < probability,
    pick: (items) => items[Math.floor(next() * items.length)]!,
    weighted: (items) => {
      let rest = next() * items.reduce((sum, [, weight]) => sum + weight, 0);
      return (items.find(([, weight]) => (rest -= weight) < 0) ?? items[0]!)[0];
    },
  };
}

/** A number for a text, to seed what belongs to it (FNV-1a, 32 bits). */
export function seedOf(text: string): number {
  let hash = 0x811c9dc5;
  for (let index = 0; index < text.length; index++) hash = Math.imul(hash ^ text.charCodeAt(index), 0x01000193);
  return hash >>> 0;
}
