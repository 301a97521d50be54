import Joi from 'joi';
import {
  name,
  anyText,
  oneOf,
  instant,
  text,
  dayOrInstant,
  arrayOf,
  contactParams,
  pageQuery,
  pageOf,
  idParams,
} from './parts.ts';
import { type TokenScope, TOKEN_SCOPES } from '../access.ts';
import { contract } from './contract.ts';

/** Answer of `POST /tokens`. */
export interface CreateTokenAnswer {
  token: string;
  account: string;
}

/** Answer of `POST /access/keys`. */
export interface RotateKeysAnswer {
  version: number;
  activeAt: string;
}

/** An API token as it is listed; the token itself is shown once, when it is made. */
export interface ApiToken {
  id: number;
  name: string;
  /** What it may do. */
  scope: TokenScope;
  createdAt: string;
  /** From then on it opens nothing; null for one without an end. */
  expiresAt: string | null;
  lastUsedAt: string | null;
  revokedAt: string | null;
}
const apiTokenSchema = Joi.object<ApiToken, true>({
  id: Joi.number().required(),
  name: anyText.required(),
  scope: oneOf(TOKEN_SCOPES).required(),
  createdAt: instant.required(),
  expiresAt: instant.allow(null).required(),
  lastUsedAt: instant.allow(null).required(),
  revokedAt: instant.allow(null).required(),
});

/** A browser that somebody is signed in with. */
export interface Session {
  id: number;
  createdAt: string;
  lastSeenAt: string;
  expiresAt: string;
  network: string | null;
  userAgent: string | null;
  /** The one that asks. */
  isThis: boolean;
}
const sessionSchema = Joi.object<Session, true>({
  id: Joi.number().required(),
  createdAt: instant.required(),
  lastSeenAt: instant.required(),
  expiresAt: instant.required(),
  network: anyText.allow(null).required(),
  userAgent: anyText.allow(null).required(),
  isThis: Joi.boolean().required(),
});

/** Who is signed in. `csrf` must come with every change that a console session makes; null for API tokens. */
export interface SignedIn {
  accountId: number;
  name: string;
  email: string;
  csrf: string | null;
  /** What whoever asks may do; who is signed in to the console may everything. */
  scope: TokenScope;
}
const signedInSchema = Joi.object<SignedIn, true>({
  accountId: Joi.number().required(),
  name: anyText.required(),
  email: anyText.required(),
  csrf: anyText.allow(null).required(),
  scope: oneOf(TOKEN_SCOPES).required(),
});

/** Body of `POST /session`. */
export interface Credentials {
  email: string;
  password: string;
}
export const signIn = Joi.object<Credentials, true>({
  email: text(320).required(),
  password: Joi.string().max(1000).required(),
});

/** Body of `POST /tokens`. */
export interface NewToken extends Credentials {
  name: string;
  scope?: TokenScope;
  expiresAt?: string | null;
}
const newToken = Joi.object<NewToken, true>({
  email: text(320).required(),
  password: Joi.string().max(1000).required(),
  name: name(100).required(),
  scope: oneOf(TOKEN_SCOPES).default('read').description('What it may do; each may what stands before it, too'),
  expiresAt: dayOrInstant.allow(null).default(null).description('From then on it opens nothing'),
});

/** Body of `POST /session/password`. */
export interface PasswordChange {
  password: string;
  newPassword: string;
}
const passwordChange = Joi.object<PasswordChange, true>({
  password: Joi.string().max(1000).required().description('The present one'),
  newPassword: Joi.string().max(1000).required().description('12 characters at least, and none of the most common'),
});

/** Accounts. */
export const accounts = {
  signIn: contract({
    method: 'post',
    path: '/session',
    summary: 'Sign in to the console: sets the session cookie',
    open: true,
    secret: true,
    body: signIn,
    answer: signedInSchema,
    problems: ['too-many-tries', 'wrong-password'],
    example: { email: 'rosa.lindgard@larkfield.example', password: 'a brass planisphere' },
  }),
  session: contract({
    method: 'get',
    path: '/session',
    summary: 'Who is signed in',
    answer: signedInSchema,
    example: {},
  }),
  signOut: contract({ method: 'delete', path: '/session', summary: 'Sign out', status: 204, example: {} }),
  sessions: contract({
    method: 'get',
    path: '/sessions',
    summary: 'Browsers that whoever asks is signed in with',
    needs: 'administer',
    answer: arrayOf(sessionSchema),
    example: {},
  }),
  endSession: contract({
    method: 'delete',
    path: '/sessions/:id',
    summary: 'End one of these sessions',
    needs: 'administer',
    params: contactParams,
    status: 204,
    problems: ['not-found'],
    example: { id: 1 },
  }),
  createToken: contract({
    method: 'post',
    path: '/tokens',
    summary: 'Make an API token for a program; it is shown once',
    open: true,
    secret: true,
    body: newToken,
    filled: ['scope', 'expiresAt'],
    status: 201,
    answer: Joi.object<CreateTokenAnswer, true>({ token: anyText.required(), account: anyText.required() }),
    problems: ['too-many-tries', 'wrong-password'],
    example: {
      email: 'rosa.lindgard@larkfield.example',
      password: 'a brass planisphere',
      name: 'Ticket desk',
      scope: 'write',
    },
  }),
  tokens: contract({
    method: 'get',
    path: '/tokens',
    summary: 'API tokens of whoever asks, latest first',
    needs: 'administer',
    query: pageQuery,
    filled: ['limit'],
    answer: pageOf(apiTokenSchema),
    example: { limit: 20 },
  }),
  revokeToken: contract({
    method: 'delete',
    path: '/tokens/:id',
    summary: 'Revoke an API token',
    needs: 'administer',
    params: idParams,
    status: 204,
    problems: ['not-found'],
    example: { id: 1 },
  }),
  changePassword: contract({
    method: 'post',
    path: '/session/password',
    summary: 'Change the password, and end sessions in other browsers',
    needs: 'administer',
    secret: true,
    body: passwordChange,
    status: 204,
    problems: ['too-many-tries', 'wrong-password'],
    example: { password: 'a brass planisphere', newPassword: 'a brass planisphere' },
  }),
  rotateKeys: contract({
    method: 'post',
    path: '/access/keys',
    summary: 'Make a new key that tokens in messages are signed with; what was signed before stays valid',
    needs: 'administer',
    status: 201,
    answer: Joi.object<RotateKeysAnswer, true>({ version: Joi.number().required(), activeAt: instant.required() }),
    problems: ['wrong-state'],
    example: {},
  }),
};
