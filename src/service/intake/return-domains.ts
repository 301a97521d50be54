import type { Deps } from '../../operations/deps.ts';
import { listReturnDomains } from '../../store/statements/returns.ts';

/** Domains that are not known are looked up again, but not more often than this. */
const LOOK_AGAIN_MS = 1000;

/** Says whether mail for a domain comes back to us. What is known is asked of the database no more; what is not, once a second. */
export function makeReturnDomains({ database, now }: Deps): (address: string) => Promise<boolean> {
  let known: ReadonlySet<string> = new Set();
  let lookedAt = -Infinity;
  return async (address) => {
    const domain = address.slice(address.lastIndexOf('@') + 1).toLowerCase();
    if (!known.has(domain) && now().getTime() - lookedAt >= LOOK_AGAIN_MS) {
      lookedAt = now().getTime();
      known = new Set(await listReturnDomains(database));
    }
    return known.has(domain);
  };
}
