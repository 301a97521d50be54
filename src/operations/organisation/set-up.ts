import { randomBytes } from 'node:crypto';
import { inTransaction, violates } from '../../store/database.ts';
import { AccountEntity, BrandEntity, ListEntity, type Brand, type List } from '../../store/entities/organisation.ts';
import { ensureTokenKey } from '../../store/statements/token-keys.ts';
import { insertSuppressionList } from '../../store/statements/suppression.ts';
import { hashPassword } from '../accounts/sign-in.ts';
import type { Database } from '../../store/database.ts';
import type { Deps } from '../deps.ts';
import { found, Problem } from '../problem.ts';
import type { TokenKey } from '../../core/message/token.ts';

/** The signing keys of the organisation, newest first; the first start makes one. */
export async function findTokenKeys(database: Database): Promise<TokenKey[]> {
  return ensureTokenKey(database, randomBytes(32));
}

/** Makes the first account, if there is none, with this password or one of its own; returns the password only then. */
export async function ensureAdmin(
  deps: Deps,
  email: string,
  name: string,
  password: string | undefined,
): Promise<string | undefined> {
  const accounts = deps.database.getRepository(AccountEntity);
  if ((await accounts.count()) > 0) return undefined;
  const chosen = password ?? randomBytes(9).toString('base64url');
  await accounts.insert({ email: email.toLowerCase(), name, passwordHash: await hashPassword(chosen) });
  return chosen;
}

export interface NewBrand {
  name: string;
  fromAddress: string;
  returnDomain: string;
  zone: string;
}

/** Creates a brand with the suppression lists that rules fill for it. @throws Problem name-taken */
export async function createBrand(deps: Deps, brand: NewBrand): Promise<Brand> {
  try {
    return await inTransaction(deps.database, async (sql) => {
      const saved = await sql.getRepository(BrandEntity).save({ ...brand });
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
    });
  } catch (error) {
    if (violates(error, 'brand_name_key'))
      throw new Problem('name-taken', `There is a brand “${brand.name}”.`, { field: 'name' });
    throw error;
  }
}

export type ListChange = Partial<Pick<List, 'name' | 'optIn' | 'agreement' | 'remindDays' | 'expireDays'>>;

/** @throws Problem name-taken, not-found */
export async function createList(
  deps: Deps,
  list: { brandId: number; name: string; optIn: 'single' | 'double' },
): Promise<List> {
  found(await deps.database.getRepository(BrandEntity).findOneBy({ id: list.brandId }), `brand ${list.brandId}`);
  return saveList(deps, { ...list });
}

/** Changes a list. What was agreed to before stays with the sign-ups of before. @throws Problem name-taken, not-found */
export async function changeList(deps: Deps, id: number, change: ListChange): Promise<List> {
  const list = found(await deps.database.getRepository(ListEntity).findOneBy({ id }), `list ${id}`);
  return saveList(deps, { ...list, ...change });
}

async function saveList(deps: Deps, list: Partial<List>): Promise<List> {
  try {
    const { id } = await deps.database.getRepository(ListEntity).save(list);
    return found(await deps.database.getRepository(ListEntity).findOneBy({ id: id }), `list ${id}`);
  } catch (error) {
    if (violates(error, 'list_name_key'))
      throw new Problem('name-taken', `This brand has a list “${list.name}”.`, { field: 'name' });
    throw error;
  }
}
