import { slipDistance } from '../address/look-alike.ts';

/** The known name that is most like a text, or nothing when none is near: at most a third of it differs. */
export function nearest(text: string, known: readonly string[]): string | undefined {
  const given = text.toLowerCase().slice(0, 60);
  let best: { name: string; far: number } | undefined;
  for (const name of known) {
    const far = slipDistance(given, name.toLowerCase().slice(0, 60));
    if (far <= Math.max(1, Math.floor(given.length / 3)) && (best === undefined || far < best.far))
      best = { name, far };
  }
  return best?.name;
}
