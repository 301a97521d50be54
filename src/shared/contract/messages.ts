import Joi from 'joi';
import { FINDING_WEIGHTS, type FindingWeight, type MessageFormat, type Purpose } from '../words.ts';
import { FILLED_OF_MESSAGE, messageProblemSchema, ofMessage, type MessageProblem } from './campaigns.ts';
import { contract } from './contract.ts';
import { anyText, idParams, oneOf, text } from './parts.ts';
import { handoverSchema, type TestOutcome } from './relay.ts';

/** A message as one contact would get it, with what keeps it from being sent. */
export interface MessagePreview {
  message: {
    to: string;
    from: { name: string; address: string };
    subject: string;
    /** Null where it is plain text alone. */
    html: string | null;
    text: string;
    headers: Record<string, string>;
  };
  links: { number: number; url: string }[];
  problems: MessageProblem[];
}

const messagePreviewSchema = Joi.object<MessagePreview, true>({
  message: Joi.object<MessagePreview['message'], true>({
    to: anyText.required(),
    from: Joi.object<MessagePreview['message']['from'], true>({
      name: anyText.required(),
      address: anyText.required(),
    }).required(),
    subject: anyText.required(),
    html: anyText.allow(null).required(),
    text: anyText.required(),
    headers: Joi.object().pattern(Joi.string(), anyText).required(),
  }).required(),
  links: Joi.array()
    .items(
      Joi.object<MessagePreview['links'][number], true>({ number: Joi.number().required(), url: anyText.required() }),
    )
    .required(),
  problems: Joi.array().items(messageProblemSchema).required(),
});

/** Query of `GET /campaigns/:id/preview`. */
export interface PreviewQuery {
  address?: string;
}

const previewQuery = Joi.object<PreviewQuery, true>({ address: text(320) });

/** A message as it is being written, with whom it is for. */
export interface TypedMessage {
  brandId: number;
  purpose: Purpose;
  statement: string;
  format: MessageFormat;
  subject: string;
  previewLine: string;
  html: string;
  text: string;
  countLinks: boolean;
  listIds: number[];
  leftOutListIds: number[];
  segmentIds: number[];
  leftOutSegmentIds: number[];
}

/** What a program may leave out of a message that is being written. */
export type TypedRequest = Pick<TypedMessage, 'brandId'> & Partial<Omit<TypedMessage, 'brandId'>>;

/** Body of `POST /messages/preview`. */
export type PreviewRequest = TypedRequest & { address?: string };

/** Body of `POST /messages/test`. */
export type TestRequest = TypedRequest & { to: string[]; address?: string };

/** Where in a message something was found. */
export interface FoundPlace {
  field: 'subject' | 'previewLine' | 'html' | 'text' | 'statement';
  /** Characters from the start of the field. */
  at: number;
  end: number;
  /** From 1. */
  line: number;
}

/** One thing that the check has to say of a message. */
export interface Finding {
  weight: FindingWeight;
  code: string;
  title: string;
  /** What it means, and what to do; empty where all is well. */
  advice: string;
  /** Null where it is about the message as a whole. */
  place: FoundPlace | null;
  /** The merge field that is empty for some. */
  lacking: string | null;
}

/** What the check found, heaviest first. */
export interface CheckedMessage {
  /** Whom it is for: subscribed, or in a segment, and not left out. */
  readers: number;
  findings: Finding[];
  /** Names of the merge fields there are. */
  fields: string[];
}

const checkedSchema = Joi.object<CheckedMessage, true>({
  readers: Joi.number().required(),
  findings: Joi.array()
    .items(
      Joi.object<Finding, true>({
        weight: oneOf(FINDING_WEIGHTS).required(),
        code: anyText.required(),
        title: anyText.required(),
        advice: anyText.required(),
        place: Joi.object<FoundPlace, true>({
          field: Joi.string().valid('subject', 'previewLine', 'html', 'text', 'statement').required(),
          at: Joi.number().required(),
          end: Joi.number().required(),
          line: Joi.number().required(),
        })
          .allow(null)
          .required(),
        lacking: anyText.allow(null).required(),
      }),
    )
    .required(),
  fields: Joi.array().items(anyText).required(),
});

/** What became of the test messages, address by address. */
export interface SentTests {
  tests: (TestOutcome & { to: string })[];
}

const EXAMPLE = {
  brandId: 1,
  subject: 'What to find in the December sky',
  html: '<p>Dear [[first_name else "stargazer"]], <a href="https://larkfield.example/december">read on</a>.</p>',
  listIds: [1],
};

/** Messages before they are sent: seen, checked, tried. */
export const messages = {
  preview: contract({
    method: 'get',
    path: '/campaigns/:id/preview',
    summary: 'The message as one contact would get it',
    params: idParams,
    query: previewQuery,
    answer: messagePreviewSchema,
    problems: ['not-found'],
    example: { id: 1, address: 'ada@lanternpost.example' },
  }),
  previewTyped: contract({
    method: 'post',
    path: '/messages/preview',
    summary: 'A message that is being written, as one contact would get it; nothing is kept',
    needs: 'read',
    body: Joi.object<PreviewRequest, true>({ ...ofMessage, address: text(320) }),
    filled: FILLED_OF_MESSAGE,
    answer: messagePreviewSchema,
    problems: ['not-found'],
    example: { ...EXAMPLE, address: 'ada@lanternpost.example' },
  }),
  checkTyped: contract({
    method: 'post',
    path: '/messages/check',
    summary: 'What stops a message that is being written, and what is worth a look; nothing is kept',
    needs: 'read',
    body: Joi.object<TypedRequest, true>(ofMessage),
    filled: FILLED_OF_MESSAGE,
    answer: checkedSchema,
    problems: ['bad-condition', 'not-found', 'took-too-long'],
    example: EXAMPLE,
  }),
  sendTests: contract({
    method: 'post',
    path: '/messages/test',
    summary: 'Send a message that is being written to up to ten addresses, marked as a test; it counts nowhere',
    needs: 'send',
    body: Joi.object<TestRequest, true>({
      ...ofMessage,
      to: Joi.array()
        .items(text(320).email({ tlds: false }))
        .min(1)
        .max(10)
        .unique((one: string, other: string) => one.toLowerCase() === other.toLowerCase())
        .required()
        .messages({ 'array.max': 'A test message goes to {{#limit}} addresses at most; nothing was sent' }),
      address: text(320).description('The contact whose data it is written with; else a stranger without a name'),
    }),
    filled: FILLED_OF_MESSAGE,
    answer: Joi.object<SentTests, true>({
      tests: Joi.array()
        .items(handoverSchema.append<SentTests['tests'][number]>({ to: anyText.required() }))
        .required(),
    }),
    problems: ['held-back', 'message-unfit', 'not-found', 'too-many-tries', 'wrong-state'],
    example: { ...EXAMPLE, to: ['rosa.lindgard@larkfield.example'], address: 'ada@lanternpost.example' },
  }),
};
