import Joi from 'joi';
import { id, anyText, text, newTag, reason } from './parts.ts';
import { filter, type ContactQuery } from './contacts.ts';
import { contract } from './contract.ts';
import { runSchema } from './runs.ts';

/** Who an act on many concerns: named by address, by where they stand, or by a filter; and what it needs to know. */
export interface ActSelection {
  act: ActPreview['act'];
  addresses?: string[];
  standing?: 'unreachable' | 'archived';
  /** On a reconciled list, or of ours and not on it. */
  reconciled?: { id: number; on: boolean };
  filter?: ContactQuery;
  tag?: string;
  suppressionListId?: number;
  brandId?: number;
  listId?: number;
}

/** Whom an act would change, how many stay as they are, and twenty of the first. Nothing was changed. */
export interface ActPreview {
  act: 'archive' | 'restore' | 'erase' | 'tag' | 'untag' | 'suppress' | 'unsubscribe' | 'subscribe' | 'ask';
  willChange: number;
  /** Contacts meant whom the act leaves as they are: they stand there already, or it may not touch them. */
  already: number;
  /** Addresses that are no contact of ours, or no address; the first hundred. */
  unknown: string[];
  sample: { contactId: number; address: string; name: string | null }[];
  /** Of archiving and erasing: how many of those who would change some brand may still write to, and which. */
  stillMailable: { contacts: number; brands: { brandId: number; brandName: string; contacts: number }[] };
}
const actPreviewSchema = Joi.object<ActPreview, true>({
  act: Joi.string()
    .valid('archive', 'restore', 'erase', 'tag', 'untag', 'suppress', 'unsubscribe', 'subscribe', 'ask')
    .required(),
  willChange: Joi.number().required(),
  already: Joi.number().required(),
  unknown: Joi.array().items(anyText).required(),
  sample: Joi.array()
    .items(
      Joi.object<ActPreview['sample'][number], true>({
        contactId: Joi.number().required(),
        address: anyText.required(),
        name: anyText.allow(null).required(),
      }),
    )
    .required(),
  stillMailable: Joi.object<ActPreview['stillMailable'], true>({
    contacts: Joi.number().required(),
    brands: Joi.array()
      .items(
        Joi.object<ActPreview['stillMailable']['brands'][number], true>({
          brandId: Joi.number().required(),
          brandName: anyText.required(),
          contacts: Joi.number().required(),
        }),
      )
      .required(),
  }).required(),
});

export const selection = {
  act: Joi.string()
    .valid('archive', 'restore', 'erase', 'tag', 'untag', 'suppress', 'unsubscribe', 'subscribe', 'ask')
    .required(),
  addresses: Joi.array().items(text(1100)).min(1).max(10_000).description('Who is meant, by address'),
  standing: Joi.string().valid('unreachable', 'archived').description('Who is meant, by where they stand'),
  reconciled: Joi.object({ id: id.required(), on: Joi.boolean().required() }).description(
    'Who is meant: on a reconciled list, or of ours and not on it',
  ),
  filter: Joi.object(filter).description('Who is meant: the contacts that /contacts would list'),
  tag: newTag.description('For tag and untag'),
  suppressionListId: id.description('For suppress: a list of your own'),
  brandId: id.description('For unsubscribe: out of every list of this brand'),
  listId: id.description('For subscribe, where the reason says what the permission is; and for ask'),
};

const WHO = ['addresses', 'standing', 'reconciled', 'filter'];

const actPreview = Joi.object<ActSelection, true>(selection).or(...WHO);

/** Body of `POST /contacts/acts`. */
export interface ActRequest extends ActSelection {
  expect: number;
  expectMailable?: number;
  reason: string;
}
const actRequest = Joi.object<ActRequest, true>({
  ...selection,
  expect: Joi.number()
    .integer()
    .min(0)
    .required()
    .description('How many the preview said would change; for erasing exactly that'),
  expectMailable: Joi.number()
    .integer()
    .min(0)
    .default(0)
    .description('For archive and erase: whom some brand may still write to, as the preview said'),
  reason,
}).or(...WHO);

/** Acts. */
export const acts = {
  previewAct: contract({
    method: 'post',
    path: '/contacts/acts/preview',
    summary: 'Whom an act on many contacts would change, how many, and a sample',
    body: actPreview,
    answer: actPreviewSchema,
    problems: ['bad-condition', 'built-in', 'not-found', 'took-too-long'],
    example: { act: 'tag', tag: 'friend', filter: { brandId: 1, part: 'ada' } },
  }),
  applyAct: contract({
    method: 'post',
    path: '/contacts/acts',
    summary:
      'Archive, restore, tag, untag, suppress, unsubscribe, subscribe or erase contacts, as a run; erasing cannot be undone',
    body: actRequest,
    filled: ['expectMailable'],
    status: 202,
    answer: runSchema,
    problems: [
      'bad-condition',
      'built-in',
      'count-moved',
      'not-found',
      'still-mailable',
      'took-too-long',
      'wrong-state',
    ],
    example: {
      act: 'tag',
      tag: 'friend',
      filter: { brandId: 1, part: 'ada' },
      expect: 1,
      reason: 'joined the friends',
    },
  }),
};
