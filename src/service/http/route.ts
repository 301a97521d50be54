import type { Context } from 'hono';
import type { Logger } from 'pino';
import type { SignedIn } from '../../operations/accounts/sign-in.ts';
import type { Deps } from '../../operations/deps.ts';
import type { Relays } from '../../operations/relay/relay.ts';
import type { Answer, Checked, Contract, Served } from '../../shared/contract/contract.ts';
import type { SessionCookie } from './session-cookie.ts';

/** What a handler is given besides what was said in the request. */
export interface Circumstances {
  deps: Deps;
  relays: Relays;
  who: SignedIn;
  c: Context;
  /** Where the request came from, if it can be told. */
  network: string | null;
  log: Logger;
  /** How sessions are kept in browsers. */
  cookie: SessionCookie;
}

/** What a handler is given: everything already checked against the contract's schemas. */
export type Call<C extends Contract> = Circumstances & Checked<C>;

/** Carries out one contract. */
export type Handler<C extends Contract> = (call: Call<C>) => Promise<Served<Answer<C>>>;

/** A contract with what carries it out. */
export interface Route extends Contract {
  handle(call: Circumstances & { params: unknown; query: unknown; body: unknown }): Promise<unknown>;
}

/** The routes of a thing: each of its contracts with its handler. */
export function handlers<Contracts extends Record<string, Contract>>(
  contracts: Contracts,
  handle: { [Name in keyof Contracts]: Handler<Contracts[Name]> },
): Route[] {
  return Object.keys(contracts).map((name) => ({ ...contracts[name]!, handle: handle[name] as Route['handle'] }));
}
