/** The known name that is most like a text, or nothing when none is near: at most a third of it differs. */
export function nearest(text: string, known: readonly string[]): string | undefined {
  const given = text.toLowerCase().slice(0, 60);
  let best: { name: string; far: number } | undefined;
  for (const name of known) {
    const far = distance(given, name.toLowerCase().slice(0, 60));
    if (far <= Math.max(1, Math.floor(given.length / 3)) && (best === undefined || far < best.far))
      best = { name, far };
  }
  return best?.name;
}

/** Levenshtein's distance. */
function distance(a: string, b: string): number {
  let row = Array.from({ length: b.length + 1 }, (_, index) => index);
  for (let i = 1; i <= a.length; i++) {
    const next = [i];
    for (let j = 1; j <= b.length; j++)
      next.push(Math.min(row[j]! + 1, next[j - 1]! + 1, row[j - 1]! + (a[i - 1] === b[j - 1] ? 0 : 1)));
    row = next;
  }
  return row[b.length]!;
}
