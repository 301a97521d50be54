import Joi from 'joi';
import { reason, anyText, instant, text, page, values, arrayOf, pageOf, type PageQuery } from './parts.ts';
import { type SettableCode, SETTABLE_CODES } from '../words.ts';
import { contract } from './contract.ts';
import { runSchema } from './runs.ts';

/** What a finding does to an address: kept out, held for a decision, or only noted. */
export type Severity = 'refuse' | 'hold' | 'note';

/** Answer of `POST /refuse-list`. */
export interface RefuseAnswer {
  entered: number;
  known: number;
}

/** Answer of `POST /refuse-list/remove`. */
export interface RefuseNoMoreAnswer {
  removed: number;
}

/** An address or a domain of the refuse-list, with why. */
export interface RefusedValue {
  value: string;
  reason: string;
  actor: string;
  enteredAt: string;
}
const refusedValueSchema = Joi.object<RefusedValue, true>({
  value: anyText.required(),
  reason: anyText.required(),
  actor: anyText.required(),
  enteredAt: instant.required(),
});

/** The severity of each finding that has one to set. */
export type Severities = Record<SettableCode, Severity>;
const severitiesSchema = Joi.object<Severities>(
  Object.fromEntries(SETTABLE_CODES.map((one) => [one, Joi.string().valid('refuse', 'hold', 'note').required()])),
);

/** Who would be mended, and whose mended address is a contact already, so that the two become one. */
export interface MendPreview {
  from: string;
  to: string;
  mended: number;
  /** Contacts taken over by the one that has the mended address already. */
  merged: number;
  /** Left alone, since the person of the mended address was erased. */
  erased: number;
  sample: { contactId: number; address: string; mended: string; mergesInto: number | null }[];
}
const mendPreviewSchema = Joi.object<MendPreview, true>({
  from: anyText.required(),
  to: anyText.required(),
  mended: Joi.number().required(),
  merged: Joi.number().required(),
  erased: Joi.number().required(),
  sample: Joi.array()
    .items(
      Joi.object<MendPreview['sample'][number], true>({
        contactId: Joi.number().required(),
        address: anyText.required(),
        mended: anyText.required(),
        mergesInto: Joi.number().allow(null).required(),
      }),
    )
    .required(),
});

/**
 * What the API answers about addresses: checks, slips and their mending, verdicts of outside verifiers. Instants are
 * RFC 3339 texts.
 */

/** How a domain stands among our contacts: how many there are, and how many messages they took. */
export interface DomainStanding {
  domain: string;
  contacts: number;
  accepted: number;
  delivered: number;
}
const domainStandingSchema = Joi.object<DomainStanding, true>({
  domain: anyText.required(),
  contacts: Joi.number().required(),
  accepted: Joi.number().required(),
  delivered: Joi.number().required(),
});

/** A domain that is probably a slip of another. */
export interface LookAlike {
  given: DomainStanding;
  proposed: DomainStanding;
  distance: number;
}
const lookAlikeSchema = Joi.object<LookAlike, true>({
  given: domainStandingSchema.required(),
  proposed: domainStandingSchema.required(),
  distance: Joi.number().required(),
});

/** What is to be said of an address before it is taken in: the verdict is the worst of the findings. */
export interface CheckedAddress {
  given: string;
  address: string | null;
  verdict: 'refuse' | 'hold' | 'note' | 'suppressed' | 'fine';
  findings: { code: string; severity: 'refuse' | 'hold' | 'note'; text: string; proposal?: string }[];
}
const checkedAddressSchema = Joi.object<CheckedAddress, true>({
  given: anyText.required(),
  address: anyText.allow(null).required(),
  verdict: Joi.string().valid('refuse', 'hold', 'note', 'suppressed', 'fine').required(),
  findings: Joi.array()
    .items(
      Joi.object<CheckedAddress['findings'][number], true>({
        code: anyText.required(),
        severity: Joi.string().valid('refuse', 'hold', 'note').required(),
        text: anyText.required(),
        proposal: anyText,
      }),
    )
    .required(),
});

/** Body of `POST /addresses/check`. */
export interface AddressesCheck {
  addresses: string[];
}
const addressesCheck = Joi.object<AddressesCheck, true>({
  addresses: Joi.array().items(Joi.string().max(1100).allow('')).min(1).max(1000).required(),
});

export const severities = Joi.object<Partial<Severities>>(
  Object.fromEntries(SETTABLE_CODES.map((code) => [code, Joi.string().valid('refuse', 'hold', 'note')])),
).min(1);

/** Query of `GET /refuse-list`. */
export interface RefusedQuery extends PageQuery {
  part?: string;
}
const refusedQuery = Joi.object<RefusedQuery, true>({ ...page, part: text(320).allow('').default('') });

/** Body of `POST /refuse-list`. */
export interface NewRefused {
  values: string[];
  reason: string;
  expect?: number;
}
const newRefused = Joi.object<NewRefused, true>({
  values: values.description('Addresses and domains; a leading dot takes in subdomains'),
  reason,
  expect: Joi.number().integer().min(0).description('How many contacts are at them; asked for only when they are many'),
});

/** Body of `POST /refuse-list/remove`. */
export interface RemoveRefused {
  values: string[];
}
const removeRefused = Joi.object<RemoveRefused, true>({ values });

export const mending = {
  from: text(1100).required().description('A domain, or an address'),
  to: text(1100).required().description('What it becomes'),
};

/** Body of `POST /addresses/mend/preview`. */
export interface MendPreviewRequest {
  from: string;
  to: string;
}
const mendPreview = Joi.object<MendPreviewRequest, true>(mending);

/** Body of `POST /addresses/mend`. */
export interface MendRequest {
  from: string;
  to: string;
  expect: number;
  reason: string;
}
const mendRequest = Joi.object<MendRequest, true>({
  ...mending,
  expect: Joi.number().integer().min(0).required().description('How many the preview said would be mended and merged'),
  reason,
});

/** Addresses. */
export const addresses = {
  checkAddresses: contract({
    method: 'post',
    path: '/addresses/check',
    summary:
      'What is to be said of addresses before they are taken in: syntax, look-alike domains, suppression, role names',
    body: addressesCheck,
    answer: arrayOf(checkedAddressSchema),
    example: { addresses: ['ada@lanternpost.example', 'nobody'] },
  }),
  lookAlikes: contract({
    method: 'get',
    path: '/addresses/look-alikes',
    summary: 'Domains of contacts that are probably slips of another, with the evidence',
    answer: arrayOf(lookAlikeSchema),
    example: {},
  }),
  previewMending: contract({
    method: 'post',
    path: '/addresses/mend/preview',
    summary: 'What mending a domain or an address would change',
    body: mendPreview,
    answer: mendPreviewSchema,
    example: { from: 'lanternpots.example', to: 'lanternpost.example' },
  }),
  mend: contract({
    method: 'post',
    path: '/addresses/mend',
    summary: 'Mend a domain or an address, as a run',
    body: mendRequest,
    answer: runSchema,
    problems: ['count-moved', 'not-found'],
    example: { from: 'lanternpots.example', to: 'lanternpost.example', expect: 1, reason: 'a slip of the form' },
  }),
  severities: contract({
    method: 'get',
    path: '/addresses/severities',
    summary: 'What each finding about an address does: refuse, hold, or a note',
    answer: severitiesSchema,
    example: {},
  }),
  saveSeverities: contract({
    method: 'post',
    path: '/addresses/severities',
    summary: 'Set what findings do',
    body: severities,
    answer: severitiesSchema,
    example: { 'role-name': 'note' },
  }),
  refused: contract({
    method: 'get',
    path: '/refuse-list',
    summary: 'Addresses and domains that are not taken in, however they come',
    query: refusedQuery,
    filled: ['limit', 'part'],
    answer: pageOf(refusedValueSchema),
    example: { part: 'quill', limit: 20 },
  }),
  refuse: contract({
    method: 'post',
    path: '/refuse-list',
    summary: 'Refuse addresses and domains from now on',
    body: newRefused,
    answer: Joi.object<RefuseAnswer, true>({ entered: Joi.number().required(), known: Joi.number().required() }),
    problems: ['count-moved'],
    example: { values: ['quillmail.example'], reason: 'addresses that last an hour' },
  }),
  refuseNoMore: contract({
    method: 'post',
    path: '/refuse-list/remove',
    summary: 'Refuse them no more',
    body: removeRefused,
    answer: Joi.object<RefuseNoMoreAnswer, true>({ removed: Joi.number().required() }),
    example: { values: ['quillmail.example'] },
  }),
};
