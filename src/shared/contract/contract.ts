import type Joi from 'joi';
import type { TokenScope } from '../access.ts';
import type { ProblemCode } from '../problems.ts';

/**
 * A route of the API, said once. The type of its handler, the client's call, the description at /api/v1/openapi.json
 * and the page docs/api.md follow from it.
 */
export interface Contract {
  method: 'get' | 'post' | 'patch' | 'delete';
  /** Below /api/v1, parameters as `:name`. */
  path: string;
  summary: string;
  params?: Joi.ObjectSchema;
  query?: Joi.ObjectSchema;
  body?: Joi.ObjectSchema;
  /** Fields of the query or body that have a value whether or not it was given. */
  filled?: readonly string[];
  /** The body is not JSON but of these media types, with “or” between: the handler reads it as it comes. */
  raw?: string;
  /** What is said or answered is secret: nothing of it is kept. */
  secret?: boolean;
  /** What a token has to be allowed; else `read` for what is only looked at, and `write` for all else. */
  needs?: TokenScope;
  /** May be called by nobody in particular. */
  open?: boolean;
  /** Without one the answer is empty, or a file. */
  answer?: Joi.Schema;
  /** Media type of the answer where it is a file. */
  answers?: string;
  status?: 200 | 201 | 202 | 204;
  /** Codes of its refusals, besides those that any route may give. */
  problems?: readonly ProblemCode[];
  /** What may be given, in one object as `Given` has it; the numbers in it stand for those of your own. */
  example: object;
}

/** Refusals that any route may give. */
export const COMMON_PROBLEMS: readonly ProblemCode[] = [
  'invalid-input',
  'unreadable-body',
  'not-signed-in',
  'not-allowed',
  'csrf',
  'too-large',
  'key-reused',
  'too-busy',
  'failed',
];

/** Says a route of the API; its types are those of its schemas. */
export function contract<const C extends Omit<Contract, 'example'>>(
  declared: C & { example: Given<C> },
): C & { example: Given<C> } {
  return declared;
}

type TypeOf<S> = S extends Joi.AnySchema<infer T> ? T : Record<never, never>;
type Filled<C> = C extends { filled: readonly (infer K)[] } ? K : never;
type WithFilled<T, K> = T & { [P in keyof T & K]-?: Exclude<T[P], undefined> };

/** What the handler of a contract is given, checked: every field that has a default is there. */
export interface Checked<C extends Contract> {
  params: TypeOf<C['params']>;
  query: WithFilled<TypeOf<C['query']>, Filled<C>>;
  body: WithFilled<TypeOf<C['body']>, Filled<C>>;
}

/** What the caller of a contract says, in one object: parameters of the path, and the query or the body. */
export type Given<C extends Omit<Contract, 'example'>> = TypeOf<C['params']> &
  TypeOf<C['query']> &
  TypeOf<C['body']> &
  (C extends { raw: string } ? { file: Upload } : Record<never, never>);

/** What can be sent as a body as it is. */
export type Upload = NonNullable<RequestInit['body']>;

/** What the caller of a contract gets: the answer, the response where it is a file, or nothing. */
export type Answer<C extends Contract> = C extends { answers: string }
  ? Response
  : C extends { answer: Joi.AnySchema<infer T> }
    ? T
    : void;

/** What a handler may return for an answer: what becomes it as JSON, instants as dates or texts. */
export type Served<T> = T extends string
  ? string extends T
    ? T | Date
    : T
  : T extends readonly (infer Item)[]
    ? readonly Served<Item>[]
    : T extends object
      ? { [K in keyof T]: Served<T[K]> }
      : T;
