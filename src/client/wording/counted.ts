const NOTEWORTHY_MS = 60_000;

/** Whether what was counted is so much older than the answer it stands in that it must say so. Both are instants. */
export function isOlder({ at, countedAt }: { at: string; countedAt: string }): boolean {
  return Date.parse(at) - Date.parse(countedAt) >= NOTEWORTHY_MS;
}
