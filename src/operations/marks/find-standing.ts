import { suppressionKeys } from '../../core/address/suppression-keys.ts';
import { findListsOfValues } from '../../store/statements/suppression.ts';
import type { Deps } from '../deps.ts';

/** An entry that stops an address now, on which list and why. */
export type Standing = Awaited<ReturnType<typeof findListsOfValues>>[number];

/** Entries that stop each of these addresses now, by address: itself, without its sub-address, its hash, its domain. */
export async function findStanding(deps: Deps, addresses: string[]): Promise<Map<string, Standing[]>> {
  const keys = new Map(addresses.map((address) => [address, suppressionKeys(address)]));
  const values = [...keys.values()].flatMap(({ exact, base, hash, domains }) => [exact, base, hash, ...domains]);
  if (values.length === 0) return new Map();
  const byValue = new Map<string, Standing[]>();
  for (const entry of await findListsOfValues(deps.database, values))
    byValue.set(entry.value, [...(byValue.get(entry.value) ?? []), entry]);
  const of = (value: string): Standing[] => byValue.get(value) ?? [];
  return new Map(
    [...keys].map(([address, { exact, base, hash, domains }]) => {
      const without = base === exact ? [] : of(base).filter((entry) => !entry.exact);
      return [address, [...of(exact), ...without, ...of(hash), ...domains.flatMap(of)]];
    }),
  );
}
