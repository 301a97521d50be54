import { parseEntry, type EntryKind } from '../../core/address/suppression-keys.ts';
import { countStopped } from '../../store/statements/stopped.ts';
import type { Deps } from '../deps.ts';
import { withinTime } from '../segments/within-time.ts';

/** How many contacts entries stop, or would once they are entered. */
export interface Stopped {
  /** All in all, each counted once. */
  contacts: number;
  entries: { value: string; kind: EntryKind; contacts: number }[];
  /** What is neither an address, a domain nor a SHA-256. */
  unreadable: string[];
}

/** Counts whom entries stop before they are entered, or lifted. @throws Problem took-too-long */
export async function countWhoIsStopped(deps: Deps, values: string[]): Promise<Stopped> {
  const given = values.map((text) => ({ text, entry: parseEntry(text) }));
  const entries = [...new Map(given.flatMap(({ entry }) => (entry ? [[entry.value, entry]] : []))).values()];
  const { all, byValue } = await withinTime(deps, (sql) => countStopped(sql, entries));
  return {
    contacts: all,
    entries: entries.map((entry) => ({ ...entry, contacts: byValue.get(entry.value) ?? 0 })),
    unreadable: given.flatMap(({ text, entry }) => (entry ? [] : [text])),
  };
}
