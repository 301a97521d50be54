import { dayOrInstant, isDay } from '../../core/time/days.ts';
import type { Sql } from '../../store/sql.ts';
import { BrandEntity } from '../../store/entities/organisation.ts';
import { Problem } from '../problem.ts';

/** The zone of a brand; of the first brand for what concerns none. */
export async function findZone(sql: Sql, brandId: number | null = null): Promise<string> {
  const where = brandId === null ? {} : { id: brandId };
  const [brand] = await sql.getRepository(BrandEntity).find({ where, order: { id: 'ASC' }, take: 1 });
  return brand?.zone ?? 'UTC';
}

/**
 * The instant that was given, by itself or as the day that begins with it in the zone of a brand.
 * @throws Problem invalid-input when there is no such day
 */
export async function instantOf(
  sql: Sql,
  given: string | Date,
  field: string,
  brandId: number | null = null,
): Promise<Date> {
  if (given instanceof Date) return given;
  const instant = new Date(dayOrInstant(given, await findZone(sql, brandId)));
  // The engine takes the 30th of February for the 2nd of March.
  if (Number.isNaN(instant.getTime()) || (given.length === '2026-11-24'.length && !isDay(given)))
    throw new Problem('invalid-input', `There is no day ${given}.`, { field });
  return instant;
}
