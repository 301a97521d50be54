import Joi from 'joi';
import { anyText, text, type MatchingContact, matchingContactFields, id, arrayOf } from './parts.ts';
import { contract } from './contract.ts';

/** A condition for one of the usual questions. */
export interface ReadyMade {
  name: string;
  about: string;
  condition: string;
}
const readyMadeSchema = Joi.object<ReadyMade, true>({
  name: anyText.required(),
  about: anyText.required(),
  condition: anyText.required(),
});

/** Names that a condition of a brand can use. */
export interface ConditionNames {
  lists: string[];
  segments: string[];
  snapshots: string[];
  suppressionLists: string[];
  campaigns: string[];
  tags: string[];
  attributes: Record<string, { type: 'text' | 'number' | 'date' | 'yes-no' | 'choice'; choices?: string[] }>;
}
const conditionNamesSchema = Joi.object<ConditionNames, true>({
  lists: Joi.array().items(anyText).required(),
  segments: Joi.array().items(anyText).required(),
  snapshots: Joi.array().items(anyText).required(),
  suppressionLists: Joi.array().items(anyText).required(),
  campaigns: Joi.array().items(anyText).required(),
  tags: Joi.array().items(anyText).required(),
  attributes: Joi.object()
    .pattern(
      Joi.string(),
      Joi.object<ConditionNames['attributes'][string], true>({
        type: Joi.string().valid('text', 'number', 'date', 'yes-no', 'choice').required(),
        choices: Joi.array().items(anyText),
      }),
    )
    .required(),
});

/** One of several conditions counted side by side. */
export interface ComparedCondition {
  condition: string;
  matching: number;
  /** Of these, those whom nothing that is left out matches. */
  left: number;
  mailable: number;
}
const comparedConditionSchema = Joi.object<ComparedCondition, true>({
  condition: anyText.required(),
  matching: Joi.number().required(),
  left: Joi.number().required(),
  mailable: Joi.number().required(),
});

/** Whether a part of a condition holds of one contact, and why. */
export interface Explained {
  holds: boolean;
  text: string;
  because: string;
  parts: Explained[];
}
const explainedFields = {
  holds: Joi.boolean().required(),
  text: anyText.required(),
  because: anyText.required(),
};
const explainedSchema: Joi.ObjectSchema<Explained> = Joi.object<Explained, true>({
  ...explainedFields,
  parts: Joi.array().items(Joi.link('#explained')).required(),
}).id('explained');

/** The same of a whole condition, with the contact it is of. */
export interface ExplainedCondition extends Explained {
  contactId: number;
}
const explainedConditionSchema = Joi.object<ExplainedCondition, true>({
  ...explainedFields,
  parts: Joi.array().items(explainedSchema).required(),
  contactId: Joi.number().required(),
});

/** One line of a condition with how many contacts it alone matches, and how many are left with those before it. */
export interface CountedLine {
  depth: number;
  joined: 'and' | 'or' | null;
  text: string;
  alone: number;
  after: number;
}
const countedLineSchema = Joi.object<CountedLine, true>({
  depth: Joi.number().required(),
  joined: Joi.string().valid('and', 'or').allow(null).required(),
  text: anyText.required(),
  alone: Joi.number().required(),
  after: Joi.number().required(),
});

/** Something wrong with a condition, or odd (`warning`), where it stands in the text. */
export interface ConditionProblem {
  code: string;
  from: number;
  to: number;
  message: string;
  warning?: true;
}
const conditionProblemSchema = Joi.object<ConditionProblem, true>({
  code: anyText.required(),
  from: Joi.number().required(),
  to: Joi.number().required(),
  message: anyText.required(),
  warning: Joi.boolean().valid(true),
});

/** A contact whom a condition matches, with the facts that decided. */
export interface ExplainedContact extends MatchingContact {
  because: string;
}

/** What a condition matches: every part counted alone and with those before it, and what is odd about it. */
export interface ConditionPreview {
  text: string;
  tree: Record<string, unknown>;
  contacts: number;
  matching: number;
  /** Of those who match, who may get marketing of the brand now. */
  mailable: number;
  lines: CountedLine[];
  warnings: ConditionProblem[];
  sample: ExplainedContact[];
  stages: { stage: string; contacts: number }[];
  domains: { domain: string; contacts: number }[];
}
const conditionPreviewSchema = Joi.object<ConditionPreview, true>({
  text: anyText.required(),
  tree: Joi.object().unknown().required(),
  contacts: Joi.number().required(),
  matching: Joi.number().required(),
  mailable: Joi.number().required(),
  lines: Joi.array().items(countedLineSchema).required(),
  warnings: Joi.array().items(conditionProblemSchema).required(),
  sample: Joi.array()
    .items(Joi.object<ExplainedContact, true>({ ...matchingContactFields, because: anyText.required() }))
    .required(),
  stages: Joi.array()
    .items(
      Joi.object<ConditionPreview['stages'][number], true>({
        stage: anyText.required(),
        contacts: Joi.number().required(),
      }),
    )
    .required(),
  domains: Joi.array()
    .items(
      Joi.object<ConditionPreview['domains'][number], true>({
        domain: anyText.required(),
        contacts: Joi.number().required(),
      }),
    )
    .required(),
});

/** What conditions, segments and snapshots are asked with. */
export const conditionText = Joi.alternatives(Joi.string().max(20_000), Joi.object().unknown())
  .required()
  .description('In the language of docs/conditions.md, or its tree as a preview answers it');

/** Body of `POST /conditions/preview`. */
export interface ConditionRequest {
  brandId: number;
  condition: string | Record<string, unknown>;
}
const conditionRequest = Joi.object<ConditionRequest, true>({
  brandId: id.required(),
  condition: conditionText,
});

/** Body of `POST /conditions/explain`. */
export interface ConditionExplain {
  brandId: number;
  condition: string | Record<string, unknown>;
  address: string;
}
const conditionExplain = Joi.object<ConditionExplain, true>({
  brandId: id.required(),
  condition: conditionText,
  address: text(320).required(),
});

const conditionTexts = Joi.array().items(Joi.string().max(20_000));

/** Body of `POST /conditions/compare`. */
export interface ConditionsCompare {
  brandId: number;
  conditions: string[];
  without?: string[];
}
const conditionsCompare = Joi.object<ConditionsCompare, true>({
  brandId: id.required(),
  conditions: conditionTexts.min(1).max(10).required(),
  without: conditionTexts.max(10).default([]).description('Left out of each'),
});

/** Query of `GET /conditions/names`. */
export interface ConditionNamesQuery {
  brandId: number;
}
const conditionNamesQuery = Joi.object<ConditionNamesQuery, true>({ brandId: id.required() });

/** Conditions. */
export const conditions = {
  previewCondition: contract({
    method: 'post',
    path: '/conditions/preview',
    summary: 'Count every part of a condition, with a sample and what is odd about it',
    body: conditionRequest,
    answer: conditionPreviewSchema,
    problems: ['bad-condition', 'not-found', 'took-too-long'],
    example: { brandId: 1, condition: 'read in the last 60 days or joined in the last 30 days' },
  }),
  explainCondition: contract({
    method: 'post',
    path: '/conditions/explain',
    summary: 'Whether one address matches, and the fact that decided each part',
    body: conditionExplain,
    answer: explainedConditionSchema,
    problems: ['bad-condition', 'not-found', 'took-too-long'],
    example: { brandId: 1, condition: 'joined in the last 30 days', address: 'ada@lanternpost.example' },
  }),
  compareConditions: contract({
    method: 'post',
    path: '/conditions/compare',
    summary: 'Count conditions side by side, each less the same others',
    body: conditionsCompare,
    filled: ['without'],
    answer: arrayOf(comparedConditionSchema),
    problems: ['bad-condition', 'took-too-long'],
    example: {
      brandId: 1,
      conditions: ['read in the last 30 days', 'read in the last 90 days'],
      without: ['newcomer'],
    },
  }),
  conditionNames: contract({
    method: 'get',
    path: '/conditions/names',
    summary: 'Names that a condition of a brand can use',
    query: conditionNamesQuery,
    answer: conditionNamesSchema,
    problems: ['not-found'],
    example: { brandId: 1 },
  }),
  readyMade: contract({
    method: 'get',
    path: '/conditions/ready-made',
    summary: 'Conditions for the usual questions, to begin with',
    answer: arrayOf(readyMadeSchema),
    example: {},
  }),
};
