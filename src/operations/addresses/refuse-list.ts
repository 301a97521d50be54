import { parseEntry } from '../../core/address/suppression-keys.ts';
import { overWholeSet } from '../../store/database.ts';
import {
  addRefused,
  countRefused,
  listRefused,
  removeRefused,
  type RefusedValue,
} from '../../store/statements/domain-facts.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';

/** A value that would refuse more than this share of the contacts there are has to be meant. */
const MANY = 0.1;

/** What is refused, in order of its value, after one; `part` is contained in it. */
export function listRefuseList(deps: Deps, part: string, after: string, limit: number): Promise<RefusedValue[]> {
  return listRefused(deps.database, part, after, limit);
}

/**
 * Puts addresses and domains on the organisation's own refuse-list: they are not taken in any more, however they come.
 * Who is a contact already stays one. @throws Problem invalid-input, count-moved when it concerns many and `expect`
 * does not say so
 */
export async function refuse(
  deps: Deps,
  request: { values: string[]; reason: string; expect?: number; actor: string },
): Promise<{ entered: number; known: number }> {
  const values = readValues(request.values);
  const addresses = values.filter((value) => value.includes('@'));
  const domains = values.filter((value) => !value.includes('@'));
  const { refused, contacts } = await overWholeSet(deps.database, (sql) => countRefused(sql, addresses, domains));
  if (refused > contacts * MANY && request.expect !== refused)
    throw new Problem(
      'count-moved',
      `${refused} of ${contacts} contacts are at what you would refuse. If that is meant, say so: expect ${refused}.`,
      { extra: { now: refused } },
    );
  const entered = await addRefused(deps.database, values, request.reason, request.actor);
  return { entered, known: values.length - entered };
}

/** Takes addresses and domains off the refuse-list; says how many stood on it. @throws Problem invalid-input */
export async function refuseNoMore(deps: Deps, values: string[]): Promise<{ removed: number }> {
  return { removed: await removeRefused(deps.database, readValues(values)) };
}

function readValues(texts: string[]): string[] {
  const values = texts.map((text) => {
    const entry = parseEntry(text);
    if (!entry || entry.kind === 'hash')
      throw new Problem(
        'invalid-input',
        `“${text.slice(0, 200)}” is neither an address nor a domain. Nothing was changed.`,
        { field: 'values' },
      );
    return entry.value;
  });
  return [...new Set(values)];
}
