import type { Client } from '../client/client.ts';
import type { Exclusion } from '../shared/contract/exclusions.ts';
import type { Segment } from '../shared/contract/segments.ts';
import type { CampaignListItem } from '../shared/contract/campaigns.ts';
import type { KeptRelay } from '../shared/contract/relay.ts';
import type { Brand, List } from '../shared/contract/organisation.ts';
import type { SuppressionList } from '../shared/contract/suppression.ts';
import { UsageError } from './usage-error.ts';

/** Things are named on the command line by their name or number. */

export async function brandNamed(client: Client, name: string | undefined): Promise<Brand> {
  const brands = await client.brands();
  if (name === undefined) {
    if (brands.length === 1) return brands[0]!;
    throw new UsageError(
      `Say which brand with --brand: ${brands.map((brand) => brand.name).join(', ') || 'there is none yet'}.`,
    );
  }
  return pick(brands, name, 'brand');
}

/** A list by its name; with its brand in front (`Brand/List`) where two brands have one of that name. */
export async function listNamed(client: Client, name: string): Promise<List> {
  const [lists, brands] = [await client.lists(), await client.brands()];
  const brandOf = (list: List): string => brands.find((brand) => brand.id === list.brandId)?.name ?? '';
  const matching = lists.filter((list) => matches(list, name) || same(`${brandOf(list)}/${list.name}`, name));
  if (matching.length > 1)
    throw new UsageError(
      `Several lists are called “${name}”: ${matching.map((list) => `${brandOf(list)}/${list.name}`).join(', ')}.`,
    );
  return matching[0] ?? pick(lists, name, 'list');
}

/** The latest campaign of this name or number. @throws UsageError when there is none */
export async function campaignNamed(client: Client, name: string): Promise<CampaignListItem> {
  for (let cursor: string | undefined; ;) {
    const page = await client.campaigns({ cursor, limit: 500 });
    const found = page.items.find((campaign) => matches(campaign, name));
    if (found) return found;
    if (page.next === null) throw new UsageError(`There is no campaign “${name}”. See \`avendel campaigns list\`.`, 1);
    cursor = page.next;
  }
}

/** A segment by its name, of this brand or of whichever has it. */
export async function segmentNamed(client: Client, name: string, brandId?: number): Promise<Segment> {
  const all = await client.segments({ brandId });
  const matching = all.filter((one) => matches(one, name));
  if (matching.length > 1) throw new UsageError(`Several brands have a segment “${name}”: say which with --brand.`);
  return matching[0] ?? pick(all, name, 'segment');
}

/** The standing exclusion in effect of this name or number. @throws UsageError when there is none, or more than one */
export async function exclusionNamed(client: Client, name: string): Promise<Exclusion> {
  const all = await client.exclusions({});
  const matching = all.filter((one) => matches(one, name));
  if (matching.length > 1)
    throw new UsageError(`Several standing exclusions are called “${name}”: name it by its number.`);
  return matching[0] ?? pick(all, name, 'standing exclusion');
}

/**
 * The suppression list of this name or number, or `scope/name` where several share a name.
 * @throws UsageError when there is none, or more than one
 */
export async function suppressionListNamed(client: Client, name: string): Promise<SuppressionList> {
  const lists = await client.suppressionLists();
  const matching = lists.filter((list) => matches(list, name) || same(`${list.scopeName ?? ''}/${list.name}`, name));
  if (matching.length > 1)
    throw new UsageError(
      `Several suppression lists are called “${name}”: ${matching.map((list) => `${list.scopeName ?? 'organisation'}/${list.name}`).join(', ')}.`,
    );
  return matching[0] ?? pick(lists, name, 'suppression list');
}

/** A relay by its name or number. @throws UsageError when there is none */
export async function relayNamed(client: Client, name: string): Promise<KeptRelay> {
  return pick(await client.relays(), name, 'relay');
}

function pick<T extends { id: number; name: string }>(things: T[], name: string, what: string): T {
  const found = things.find((thing) => matches(thing, name));
  if (!found)
    throw new UsageError(
      `There is no ${what} “${name}”. There is: ${[...new Set(things.map((thing) => thing.name))].join(', ') || 'none yet'}.`,
      1,
    );
  return found;
}

function matches(thing: { id: number; name: string }, name: string): boolean {
  return same(thing.name, name) || String(thing.id) === name;
}

function same(a: string, b: string): boolean {
  return a.toLowerCase() === b.trim().toLowerCase();
}
