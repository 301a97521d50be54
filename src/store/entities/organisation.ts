import type { WithDates } from '../with-dates.ts';
import type { Brand as ShownBrand, List as ShownList } from '../../shared/contract/organisation.ts';
import { EntitySchema } from 'typeorm';
import type { TokenScope } from '../../shared/access.ts';

/** A sender identity; see the API. */
export type Brand = WithDates<ShownBrand, 'testedAt' | 'createdAt'>;

/** What contacts subscribe to. */
export type List = WithDates<Omit<ShownList, 'signUpUrl'>, 'createdAt'>;

/** Who may sign in. The password is kept as scrypt with a salt of its own and its cost. */
export interface Account {
  id: number;
  email: string;
  name: string;
  passwordHash: string;
}

/** A program’s access, kept as the SHA-256 of the token. */
export interface ApiToken {
  id: number;
  accountId: number;
  name: string;
  scope: TokenScope;
  expiresAt: Date | null;
  tokenHash: Buffer;
  createdAt: Date;
  lastUsedAt: Date | null;
  revokedAt: Date | null;
}

/** Table `brand`. */
export const BrandEntity = new EntitySchema<Brand>({
  name: 'brand',
  columns: {
    id: { type: 'int', primary: true, generated: true },
    name: { type: 'text' },
    fromAddress: { type: 'text', name: 'from_address' },
    returnDomain: { type: 'text', name: 'return_domain' },
    zone: { type: 'text' },
    testedAt: { type: 'timestamptz', name: 'tested_at', nullable: true },
    createdAt: { type: 'timestamptz', name: 'created_at', createDate: true },
  },
});

/** Table `list`. */
export const ListEntity = new EntitySchema<List>({
  name: 'list',
  columns: {
    id: { type: 'int', primary: true, generated: true },
    brandId: { type: 'int', name: 'brand_id' },
    name: { type: 'text' },
    optIn: { type: 'text', name: 'opt_in' },
    agreement: { type: 'text', default: '' },
    remindDays: { type: 'int', name: 'remind_days', array: true, default: [3, 7] },
    expireDays: { type: 'int', name: 'expire_days', default: 14 },
    isPublic: { type: 'boolean', name: 'is_public', default: true },
    version: { type: 'int', default: 1 },
    createdAt: { type: 'timestamptz', name: 'created_at', createDate: true },
  },
});

/** Table `account`. */
export const AccountEntity = new EntitySchema<Account>({
  name: 'account',
  columns: {
    id: { type: 'int', primary: true, generated: true },
    email: { type: 'text' },
    name: { type: 'text' },
    passwordHash: { type: 'text', name: 'password_hash' },
  },
});

/** Table `api_token`. */
export const ApiTokenEntity = new EntitySchema<ApiToken>({
  name: 'api_token',
  columns: {
    id: { type: 'int', primary: true, generated: true },
    accountId: { type: 'int', name: 'account_id' },
    name: { type: 'text' },
    scope: { type: 'text' },
    expiresAt: { type: 'timestamptz', name: 'expires_at', nullable: true },
    tokenHash: { type: 'bytea', name: 'token_hash' },
    createdAt: { type: 'timestamptz', name: 'created_at', createDate: true },
    lastUsedAt: { type: 'timestamptz', name: 'last_used_at', nullable: true },
    revokedAt: { type: 'timestamptz', name: 'revoked_at', nullable: true },
  },
});
