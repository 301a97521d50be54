import Joi from 'joi';
import { anyText, id, name, instant, text, page, pageOf, contactParams, arrayOf, type PageQuery } from './parts.ts';
import { contract } from './contract.ts';

/** What an unsubscribing on request did. */
export interface Unsubscribed {
  contactId: number;
  brands: number[];
  /** Lists the contact was subscribed to before. */
  left: string[];
}
export const unsubscribedSchema = Joi.object<Unsubscribed, true>({
  contactId: Joi.number().required(),
  brands: Joi.array().items(Joi.number()).required(),
  left: Joi.array().items(anyText).required(),
});

/** A sign-up with its proof: when, how, from where, to what text, confirmed when. */
export interface SignUp {
  id: number;
  listId: number;
  listName: string;
  brandId: number;
  address: string;
  contactId: number | null;
  name: string | null;
  /** `noted`: an import said so. */
  state: 'pending' | 'confirmed' | 'expired' | 'turned-away' | 'noted';
  /** Why it was turned away. */
  because: string | null;
  /** `asked`: came by a file, and was asked since. */
  way: 'form' | 'api' | 'preferences' | 'import' | 'asked';
  network: string | null;
  /** Where it was given, by the file that says so. */
  source: string | null;
  agreed: string;
  at: string;
  confirmedAt: string | null;
  confirmedNetwork: string | null;
  /** Confirmation messages sent, reminders among them. */
  messages: number;
  expiresAt: string | null;
}
const signUpSchema = Joi.object<SignUp, true>({
  id: Joi.number().required(),
  listId: Joi.number().required(),
  listName: anyText.required(),
  brandId: Joi.number().required(),
  address: anyText.required(),
  contactId: Joi.number().allow(null).required(),
  name: anyText.allow(null).required(),
  state: Joi.string().valid('pending', 'confirmed', 'expired', 'turned-away', 'noted').required(),
  because: anyText.allow(null).required(),
  way: Joi.string().valid('form', 'api', 'preferences', 'import', 'asked').required(),
  network: anyText.allow(null).required(),
  source: anyText.allow(null).required(),
  agreed: anyText.required(),
  at: instant.required(),
  confirmedAt: instant.allow(null).required(),
  confirmedNetwork: anyText.allow(null).required(),
  messages: Joi.number().required(),
  expiresAt: instant.allow(null).required(),
});

/** Body of `POST /sign-ups`. */
export interface NewSignUp {
  listId: number;
  address: string;
  name?: string | null;
  agreed?: string;
  network?: string | null;
  userAgent?: string | null;
}
const newSignUp = Joi.object<NewSignUp, true>({
  listId: id.required(),
  address: text(1100).required(),
  name: name(200).allow('', null).default(null),
  agreed: text(2000).allow('').default('').description('The text that was agreed to, as it was shown'),
  network: Joi.string()
    .ip({ cidr: 'forbidden' })
    .allow(null)
    .default(null)
    .description('Where the person signed up from'),
  userAgent: text(300).allow('', null).default(null),
});

/** Query of `GET /sign-ups`. */
export interface SignUpsQuery extends PageQuery {
  state?: 'pending' | 'confirmed' | 'expired' | 'turned-away' | 'noted';
  listId?: number;
  brandId?: number;
}
const signUpsQuery = Joi.object<SignUpsQuery, true>({
  state: Joi.string().valid('pending', 'confirmed', 'expired', 'turned-away', 'noted').default('pending'),
  listId: id,
  brandId: id.description('Only of lists of this brand'),
  ...page,
});

/** Body of `POST /contacts/unsubscribe`. */
export interface UnsubscribeRequest {
  address: string;
  reason: string;
  brandId?: number;
  listId?: number;
}
const unsubscribeRequest = Joi.object<UnsubscribeRequest, true>({
  address: text(1100).required(),
  reason: text(500).required().description('What the person said, and how they said it'),
  brandId: id,
  listId: id,
}).oxor('brandId', 'listId');

/** Permission. */
export const permission = {
  signUp: contract({
    method: 'post',
    path: '/sign-ups',
    summary: 'Sign somebody up for a list; the answer is the same whatever becomes of it',
    body: newSignUp,
    filled: ['name', 'agreed', 'network', 'userAgent'],
    status: 204,
    problems: ['not-found', 'too-many-tries'],
    example: { listId: 1, address: 'new@lanternpost.example', name: 'Nell Oster', agreed: 'One letter a month.' },
  }),
  signUps: contract({
    method: 'get',
    path: '/sign-ups',
    summary: 'Sign-ups in a state, oldest first, with their proof',
    query: signUpsQuery,
    filled: ['state', 'limit'],
    answer: pageOf(signUpSchema),
    example: { state: 'pending', listId: 1, limit: 20 },
  }),
  contactSignUps: contract({
    method: 'get',
    path: '/contacts/:id/sign-ups',
    summary: 'The proof behind the subscriptions of one contact, latest first',
    params: contactParams,
    answer: arrayOf(signUpSchema),
    example: { id: 1 },
  }),
  unsubscribeContact: contract({
    method: 'post',
    path: '/contacts/unsubscribe',
    summary: 'Unsubscribe somebody who asked by telephone, letter or reply',
    body: unsubscribeRequest,
    answer: unsubscribedSchema,
    problems: ['not-found'],
    example: { address: 'ada@lanternpost.example', reason: 'asked by telephone', brandId: 1 },
  }),
};
