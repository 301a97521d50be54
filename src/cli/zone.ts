import { dayOf, minuteOf } from '../core/time/days.ts';
import type { Client } from '../client/client.ts';

/** Instants are written in the zone of a brand: the one that is named with `--brand`, else the first. */

let zone = 'UTC';

/** Learns the zone; while the service does not tell it, it is UTC. */
export async function learnZone(client: Client, brand: string | undefined): Promise<void> {
  const brands = await client.brands();
  const named = brands.find(
    ({ id, name }) => name.toLowerCase() === brand?.trim().toLowerCase() || String(id) === brand,
  );
  zone = (named ?? brands[0])?.zone ?? zone;
}

/** An instant as a person reads it, to the minute, as 2026-11-24 08:05. */
export function moment(instant: string | null | undefined): string {
  return instant ? minuteOf(Date.parse(instant), zone) : '';
}

/** The day of an instant, as 2026-11-24. */
export function day(instant: string | null | undefined): string {
  return instant ? dayOf(Date.parse(instant), zone) : '';
}
