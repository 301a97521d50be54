import type { Context } from 'hono';
import type Joi from 'joi';
import type { Logger } from 'pino';
import type { SignedIn } from '../../operations/accounts/sign-in.ts';
import type { Deps } from '../../operations/deps.ts';
import type { TokenScope } from '../../shared/access.ts';
import type { SessionCookie } from './session-cookie.ts';

/** What a handler is given: everything already checked against the route's schemas. */
export interface Call<P = Record<string, never>, Q = Record<string, never>, B = Record<string, never>> {
  deps: Deps;
  who: SignedIn;
  params: P;
  query: Q;
  body: B;
  c: Context;
  /** Where the request came from, if it can be told. */
  network: string | null;
  log: Logger;
  /** How sessions are kept in browsers. */
  cookie: SessionCookie;
}

export interface Route {
  method: 'get' | 'post' | 'patch' | 'delete';
  /** Below /api/v1, parameters as `:name`. */
  path: string;
  summary: string;
  params?: Joi.ObjectSchema;
  query?: Joi.ObjectSchema;
  body?: Joi.Schema;
  /** The body is not JSON: the handler reads it from the context as it comes. */
  raw?: string;
  /** What is said or answered is secret: nothing of it is kept. */
  secret?: boolean;
  /** What a token has to be allowed; else `read` for what is only looked at, and `write` for all else. */
  needs?: TokenScope;
  /** May be called by nobody in particular. */
  open?: boolean;
  /** Media type of the answer where it is not JSON. */
  answers?: string;
  status?: 200 | 201 | 202 | 204;
  handle(call: Call<never, never, never>): Promise<unknown>;
}

/** Declares a route. Types of parameters, query and body are the caller's claim about what its schemas let through. */
export function route<P = Record<string, never>, Q = Record<string, never>, B = Record<string, never>>(
  declared: Omit<Route, 'handle'> & { handle(call: Call<P, Q, B>): Promise<unknown> },
): Route {
  return declared;
}
