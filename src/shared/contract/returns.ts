import Joi from 'joi';
import { id, anyText, instant, text, oneOf, page, pageOf, contactParams, type PageQuery } from './parts.ts';
import { type ReturnKind, RETURN_KINDS } from '../words.ts';
import { contract } from './contract.ts';
import { unsubscribedSchema } from './permission.ts';

/** What the API answers about returns and events. Instants are RFC 3339 texts. */

/** How a returned message was read. */
export interface Reading {
  kind: ReturnKind;
  standard: string | null;
  recipients: { address: string; class: string; status: string; reply_code: string; text: string }[];
  message_id: string | null;
  token: string | null;
  because: string;
  asks_to_stop?: string;
  by_message_id?: true;
}

const readingSchema = Joi.object<Reading, true>({
  kind: oneOf(RETURN_KINDS).required(),
  standard: anyText.allow(null).required(),
  recipients: Joi.array()
    .items(
      Joi.object<Reading['recipients'][number], true>({
        address: anyText.required(),
        class: anyText.required(),
        status: anyText.required(),
        reply_code: anyText.required(),
        text: anyText.required(),
      }),
    )
    .required(),
  message_id: anyText.allow(null).required(),
  token: anyText.allow(null).required(),
  because: anyText.required(),
  asks_to_stop: anyText,
  by_message_id: Joi.boolean().valid(true),
});

/** What became of a return. */
export interface MatchedReturn {
  id: number;
  state: ReturnItem['state'];
  because: string;
}

const matchedReturnFields = {
  id: Joi.number().required(),
  state: Joi.string().valid('counted', 'noted', 'asks', 'held', 'unmatched', 'dismissed').required(),
  because: anyText.required(),
};

const matchedReturnSchema = Joi.object<MatchedReturn, true>(matchedReturnFields);

/** What became of a return that was handed in, and how it was read. */
export interface ReceivedReturn extends MatchedReturn {
  reading: Reading;
}

const receivedReturnSchema = Joi.object<ReceivedReturn, true>({
  ...matchedReturnFields,
  reading: readingSchema.required(),
});

/** A message that came back, how it was read, and what it counted for. */
export interface ReturnItem {
  id: number;
  receivedAt: string;
  envelopeTo: string;
  bytes: number;
  kind: ReturnKind;
  reading: Reading;
  /** `asks`: a reply that asks to stop; `held`: a hard bounce known by its Message-ID alone; a person decides. */
  state: 'counted' | 'noted' | 'asks' | 'held' | 'unmatched' | 'dismissed';
  because: string;
  campaignId: number | null;
  contactId: number | null;
  /** Of the message it is about, or of the mailbox it was in. */
  brandId: number | null;
}

const returnItemFields = {
  id: Joi.number().required(),
  receivedAt: instant.required(),
  envelopeTo: anyText.required(),
  bytes: Joi.number().required(),
  kind: oneOf(RETURN_KINDS).required(),
  reading: readingSchema.required(),
  state: Joi.string().valid('counted', 'noted', 'asks', 'held', 'unmatched', 'dismissed').required(),
  because: anyText.required(),
  campaignId: Joi.number().allow(null).required(),
  contactId: Joi.number().allow(null).required(),
  brandId: Joi.number().allow(null).required(),
};

const returnItemSchema = Joi.object<ReturnItem, true>(returnItemFields);

/** A return with the message itself; null once it was swept away. */
export interface ReturnDetail extends ReturnItem {
  message: string | null;
}

const returnDetailSchema = Joi.object<ReturnDetail, true>({
  ...returnItemFields,
  message: anyText.allow(null).required(),
});

/** Returns of some days by kind and state. */
export interface ReturnCounts {
  kinds: { kind: ReturnKind; state: ReturnItem['state']; returns: number }[];
  lastAt: string | null;
}

const returnCountsSchema = Joi.object<ReturnCounts, true>({
  kinds: Joi.array()
    .items(
      Joi.object<ReturnCounts['kinds'][number], true>({
        kind: oneOf(RETURN_KINDS).required(),
        state: Joi.string().valid('counted', 'noted', 'asks', 'held', 'unmatched', 'dismissed').required(),
        returns: Joi.number().required(),
      }),
    )
    .required(),
  lastAt: instant.allow(null).required(),
});

/** Body of `POST /returns/:id/match`. */
export interface ReturnMatch {
  address: string;
  campaignId?: number;
}

const returnMatch = Joi.object<ReturnMatch, true>({
  address: text(320).required().description('Address of the contact it is about'),
  campaignId: id.description('The campaign it is about; without it, the latest that the contact was sent'),
});

/** Query of `GET /returns/counts`. */
export interface ReturnCountsQuery {
  days?: number;
}

const returnCountsQuery = Joi.object<ReturnCountsQuery, true>({
  days: Joi.number().integer().min(1).max(365).default(30),
});

/** Query of `GET /returns`. */
export interface ReturnsQuery extends PageQuery {
  state?: 'counted' | 'noted' | 'asks' | 'held' | 'unmatched' | 'dismissed';
}

const returnsQuery = Joi.object<ReturnsQuery, true>({
  ...page,
  state: Joi.string().valid('counted', 'noted', 'asks', 'held', 'unmatched', 'dismissed'),
});

/** Returns. */
export const returns = {
  returns: contract({
    method: 'get',
    path: '/returns',
    summary: 'Returns, latest first',
    query: returnsQuery,
    filled: ['limit'],
    answer: pageOf(returnItemSchema),
    example: { state: 'unmatched', limit: 20 },
  }),
  receiveReturn: contract({
    method: 'post',
    path: '/returns',
    summary: 'Take in one returned message, as it came',
    raw: 'message/rfc822',
    status: 201,
    answer: receivedReturnSchema,
    example: {
      file: 'From: someone@quillmail.example\r\nTo: returns@returns.larkfield.example\r\nSubject: Is this the observatory?\r\n\r\nWhen do you open?\r\n',
    },
  }),
  returnCounts: contract({
    method: 'get',
    path: '/returns/counts',
    summary: 'Returns of the last days by kind and state, and when the last one came',
    query: returnCountsQuery,
    filled: ['days'],
    answer: returnCountsSchema,
    example: { days: 30 },
  }),
  return: contract({
    method: 'get',
    path: '/returns/:id',
    summary: 'One return: how it was read, and the message itself',
    params: contactParams,
    answer: returnDetailSchema,
    problems: ['not-found'],
    example: { id: 1 },
  }),
  dismissReturn: contract({
    method: 'post',
    path: '/returns/:id/dismiss',
    summary: 'Put a return aside that matches nothing, is held, or asks for nothing after all',
    params: contactParams,
    status: 204,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1 },
  }),
  matchReturn: contract({
    method: 'post',
    path: '/returns/:id/match',
    summary: 'Say of a return that is unmatched or held whom and which campaign it is about; it counts from then on',
    params: contactParams,
    body: returnMatch,
    answer: matchedReturnSchema,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1, address: 'ada@lanternpost.example' },
  }),
  grantStop: contract({
    method: 'post',
    path: '/returns/:id/unsubscribe',
    summary: 'Unsubscribe somebody whose reply asks to stop, from the brand that wrote to them',
    params: contactParams,
    answer: unsubscribedSchema,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1 },
  }),
};
