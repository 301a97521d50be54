/** What a run changed, in words: `12 tagged, 3 left alone`; nothing where it changed nothing. */
export function changedWords(counts: Readonly<Record<string, number>>): string {
  return Object.entries(counts)
    .filter(([, n]) => n !== 0)
    .map(
      ([what, n]) => `${n.toLocaleString('en-GB')} ${what.replace(/[A-Z]/g, (letter) => ` ${letter.toLowerCase()}`)}`,
    )
    .join(', ');
}
