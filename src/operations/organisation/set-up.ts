import { inTransaction, violates } from '../../store/database.ts';
import type { Sql } from '../../store/sql.ts';
import { BrandEntity, ListEntity, type Brand, type List } from '../../store/entities/organisation.ts';
import { keepReturnDomain } from '../../store/statements/returns.ts';
import { insertSuppressionList } from '../../store/statements/suppression.ts';
import { carryName } from '../segments/name-users.ts';
import type { Deps } from '../deps.ts';
import { assertVersion, found, Problem } from '../problem.ts';

export interface NewBrand {
  name: string;
  fromAddress: string;
  returnDomain: string;
  zone: string;
}

/** Creates a brand with the suppression lists that rules fill for it. @throws Problem name-taken */
export async function createBrand(deps: Deps, brand: NewBrand): Promise<Brand> {
  return unlessTaken('brand_name_key', `There is a brand “${brand.name}”.`, () =>
    inTransaction(deps.database, async (sql) => {
      const saved = await sql.getRepository(BrandEntity).save({ ...brand });
      await keepReturnDomain(sql, saved.returnDomain);
      const builtIn = (name: string, kind: 'complaint' | 'opt-out' | 'sunset') =>
        insertSuppressionList(sql, {
          name,
          builtIn: kind,
          scope: 'brand',
          scopeId: saved.id,
          reach: 'marketing',
          exact: false,
        });
      await builtIn('Complaints', 'complaint');
      await builtIn('Opt-outs', 'opt-out');
      await builtIn('Sunset', 'sunset');
      return saved;
    }),
  );
}

/**
 * Changes how a brand sends. Messages that left before keep their return path: as long as mail for the old domain
 * reaches the intake, what comes back to it is read. @throws Problem name-taken, not-found
 */
export async function changeBrand(deps: Deps, id: number, change: Partial<NewBrand>): Promise<Brand> {
  await getBrand(deps, id);
  // Only what is given: somebody else may be changing another part of it.
  return unlessTaken('brand_name_key', `There is a brand “${change.name}”.`, () =>
    inTransaction(deps.database, async (sql) => {
      await sql.getRepository(BrandEntity).update({ id }, change);
      if (change.returnDomain !== undefined) await keepReturnDomain(sql, change.returnDomain);
      return found(await sql.getRepository(BrandEntity).findOneBy({ id }), `brand ${id}`);
    }),
  );
}

export type ListChange = Partial<Pick<List, 'name' | 'optIn' | 'agreement' | 'remindDays' | 'expireDays' | 'isPublic'>>;

/** @throws Problem name-taken, not-found */
export async function createList(
  deps: Deps,
  list: ListChange & { brandId: number; name: string; optIn: 'single' | 'double' },
): Promise<List> {
  await getBrand(deps, list.brandId);
  return saveList(deps.database.manager, { ...list });
}

/**
 * Changes a list. What was agreed to before stays with the sign-ups of before; a new name goes into the segments, and
 * the ladder, that speak of the list.
 * @param change with the version that was looked at, to change no other
 * @throws Problem changed-meanwhile, name-taken, not-found
 */
export async function changeList(
  deps: Deps,
  id: number,
  { version, ...change }: ListChange & { version?: number },
  actor: string,
): Promise<List> {
  return inTransaction(deps.database, async (sql) => {
    const lists = sql.getRepository(ListEntity);
    const list = found(await lists.findOne({ where: { id }, lock: { mode: 'pessimistic_write' } }), `list ${id}`);
    assertVersion(version, `“${list.name}”`, list);
    const saved = await saveList(sql, { ...list, ...change, version: list.version + 1 });
    if (saved.name !== list.name)
      await carryName(sql, list.brandId, { kind: 'list', name: list.name }, saved.name, actor);
    return saved;
  });
}

async function getBrand(deps: Deps, id: number): Promise<Brand> {
  return found(await deps.database.getRepository(BrandEntity).findOneBy({ id }), `brand ${id}`);
}

function saveList(sql: Sql, list: Partial<List>): Promise<List> {
  return unlessTaken('list_name_key', `This brand has a list “${list.name}”.`, async () => {
    const { id } = await sql.getRepository(ListEntity).save(list);
    return found(await sql.getRepository(ListEntity).findOneBy({ id }), `list ${id}`);
  });
}

async function unlessTaken<T>(constraint: string, taken: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (violates(error, constraint)) throw new Problem('name-taken', taken, { field: 'name' });
    throw error;
  }
}
