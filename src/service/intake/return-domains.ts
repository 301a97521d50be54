import type { Deps } from '../../operations/deps.ts';
import { listReturnDomains } from '../../store/statements/returns.ts';

/** Domains that are not known are looked up again, but not more often than this. */
const LOOK_AGAIN_MS = 1000;

/**
 * Says whether mail for a domain comes back to us. What is known is asked of the database no more; what is not, once a
 * second.
 */
export function makeReturnDomains({
  database,
  now,
}: Pick<Deps, 'database' | 'now'>): (address: string) => Promise<boolean> {
  let known: ReadonlySet<string> = new Set();
  let look: { at: number; found: Promise<ReadonlySet<string>> } | undefined;
  return async (address) => {
    const domain = address.slice(address.lastIndexOf('@') + 1).toLowerCase();
    if (known.has(domain)) return true;
    if (!look || now().getTime() - look.at >= LOOK_AGAIN_MS) {
      const begun = { at: now().getTime(), found: listReturnDomains(database).then((domains) => new Set(domains)) };
      begun.found.catch(() => look === begun && (look = undefined));
      look = begun;
    }
    // Whoever comes while it is looked up waits for that.
    known = await look.found;
    return known.has(domain);
  };
}
