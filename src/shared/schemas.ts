import { TOKEN_SCOPES } from './access.ts';
import { RETENTION_WORDS } from './retention.ts';
import Joi from 'joi';
import {
  DELIVERABILITIES,
  EVENT_KINDS,
  BOUNCE_CLASSES,
  PURPOSES,
  REACHES,
  REASONS,
  SETTABLE_CODES,
  SCOPES,
  STAGES,
  CAMPAIGN_STATES,
  DELIVERY_STATES,
  OUTSIDE_VERDICTS,
  ENCODINGS,
  CONTACT_ORDERS,
} from './words.ts';

/** Schemas of what the API takes. The API description is made from these, so it cannot say anything else. */

export const id = Joi.number().integer().min(1).max(2_147_483_647);
export const text = (most: number): Joi.StringSchema => Joi.string().trim().max(most);
/** A name is a line of its own in headers, tables and terminals. */
export const name = (most: number): Joi.StringSchema =>
  text(most)
    .pattern(/[\p{Cc}\u2028\u2029]/u, { name: 'control characters', invert: true })
    .messages({ 'string.pattern.invert.name': '{{#label}} must not hold control characters or line breaks' });
export const reason = text(500).required().description('Why; kept in the journal');
const ids = Joi.array().items(id).max(1000);
/** Numbers of contacts and journal rows are longer than numbers of campaigns. */
const longId = Joi.number().integer().min(1).max(Number.MAX_SAFE_INTEGER);

export const idParams = Joi.object({ id: id.required() });
export const contactParams = Joi.object({ id: longId.required() });
export const brandParams = Joi.object({ brandId: id.required() });

export const page = {
  cursor: Joi.string().max(500).description('Where the page begins: `next` of the page before'),
  limit: Joi.number().integer().min(1).max(500).default(50),
};

export const signIn = Joi.object({ email: text(320).required(), password: Joi.string().max(1000).required() });
export const newToken = signIn.keys({
  name: name(100).required(),
  scope: Joi.string()
    .valid(...TOKEN_SCOPES)
    .default('read')
    .description('What it may do; each may what stands before it, too'),
  expiresAt: Joi.date().iso().allow(null).default(null).description('From then on it opens nothing'),
});
export const passwordChange = Joi.object({
  password: Joi.string().max(1000).required().description('The present one'),
  newPassword: Joi.string().max(1000).required().description('12 characters at least, and none of the most common'),
});

const keptDays = Joi.number().integer().min(1).max(3650);
export const retention = Joi.object({
  networkDays: keptDays.description(RETENTION_WORDS.networkDays),
  rawReturnDays: keptDays.description(RETENTION_WORDS.rawReturnDays),
  unmatchedDays: keptDays.description(RETENTION_WORDS.unmatchedDays),
  fileDays: keptDays.description(RETENTION_WORDS.fileDays),
}).min(1);

export const brandChange = Joi.object({
  name: name(100),
  fromAddress: text(320).email({ tlds: false }),
  returnDomain: text(253).domain({ tlds: false }).description('Domain whose mail comes to the intake'),
  zone: text(64)
    .custom((zone: string) => (new Intl.DateTimeFormat('en', { timeZone: zone }), zone))
    .messages({ 'any.custom': 'zone must be an IANA time zone, as Europe/Berlin' })
    .description('IANA time zone'),
}).min(1);
export const newBrand = brandChange
  .fork(['name', 'fromAddress', 'returnDomain'], (field) => field.required())
  .fork('zone', (zone) => zone.default('UTC'));
export const newList = Joi.object({
  brandId: id.required(),
  name: name(100).required(),
  optIn: Joi.string().valid('single', 'double').default('single'),
  isPublic: Joi.boolean()
    .default(true)
    .description('Whether the preference page behind every message of the brand shows it'),
});
const day = Joi.number().integer().min(1).max(365);
export const listChange = Joi.object({
  name: name(100),
  optIn: Joi.string().valid('single', 'double'),
  agreement: text(2000).allow('').description('What somebody who signs up agrees to; kept with each sign-up'),
  remindDays: Joi.array().items(day).max(2).unique().sort({ order: 'ascending' }).description('Days after which an unconfirmed sign-up is reminded'),
  expireDays: day.description('Days after which an unconfirmed sign-up ends'),
  isPublic: Joi.boolean().description('Whether the preference page behind every message of the brand shows it'),
}).min(1); // prettier-ignore
export const newSignUp = Joi.object({
  listId: id.required(),
  address: text(1100).required(),
  name: name(200).allow('', null).default(null),
  agreed: text(2000).allow('').default('').description('The text that was agreed to, as it was shown'),
  network: Joi.string().ip({ cidr: 'forbidden' }).allow(null).default(null).description('Where the person signed up from'),
  userAgent: text(300).allow('', null).default(null),
}); // prettier-ignore
export const signUpsQuery = Joi.object({
  state: Joi.string().valid('pending', 'confirmed', 'expired', 'turned-away', 'noted').default('pending'),
  listId: id,
  ...page,
});
export const unsubscribeRequest = Joi.object({
  address: text(1100).required(),
  reason: text(500).required().description('What the person said, and how they said it'),
  brandId: id,
  listId: id,
}).oxor('brandId', 'listId');

const draft = {
  name: name(200),
  purpose: Joi.string().valid(...PURPOSES),
  subject: text(900).allow(''),
  html: Joi.string().max(1_000_000).allow(''),
  text: Joi.string().max(1_000_000).allow(''),
  listIds: ids,
  leftOutListIds: ids,
  segmentIds: ids,
  leftOutSegmentIds: ids,
};
export const newCampaign = Joi.object({
  ...draft,
  brandId: id.required(),
  name: draft.name.required(),
  purpose: draft.purpose.default('marketing'),
  subject: draft.subject.default(''),
  html: draft.html.default(''),
  text: draft.text.default(''),
  listIds: ids.default([]),
  leftOutListIds: ids.default([]),
  segmentIds: ids.default([]).description('Segments taken in; with the lists at least one'),
  leftOutSegmentIds: ids.default([]),
});
export const elsewhereCampaign = newCampaign.keys({ startedAt: Joi.date().iso().required() });
export const campaignChange = Joi.object(draft).min(1);
export const campaignQuery = Joi.object({ ...page, brandId: id, state: Joi.string().valid(...CAMPAIGN_STATES) });
export const startRequest = Joi.object({
  expect: Joi.number().integer().min(0).required().description('How many the preflight said will get it'),
  version: Joi.number()
    .integer()
    .min(1)
    .description('The version of the draft that the preflight was of; one that was changed since does not start'),
});
export const pauseRequest = Joi.object({ reason: text(500).default('paused by a person') });
export const preflightContactsQuery = Joi.object({
  ...page,
  reason: Joi.string()
    .valid(...REASONS)
    .description('Deciding reason; left out: those who will get it'),
});
export const recipientsQuery = Joi.object({
  ...page,
  state: Joi.string().valid(...DELIVERY_STATES),
  reason: Joi.string().valid(...REASONS),
  acted: Joi.string().valid(...EVENT_KINDS),
  actor: Joi.string().valid('human', 'machine', 'unknown', ...BOUNCE_CLASSES),
});
export const previewQuery = Joi.object({ address: text(320) });

const filter = {
  brandId: id.required(),
  part: text(320).allow('').default(''),
  listId: id,
  stage: Joi.string().valid(...STAGES),
  deliverability: Joi.string().valid(...DELIVERABILITIES),
  tag: text(60),
  where: Joi.string().max(20_000).description('A condition of the brand, as docs/conditions.md has it'),
};
/** Tags are written as they are read: letters of any script, digits, and few signs. */
export const newTag = text(60).pattern(/^[\p{L}\p{N}][\p{L}\p{N} ._:-]*$/u, 'letters, digits, spaces and . _ : -');
const selection = {
  act: Joi.string().valid('archive', 'restore', 'erase', 'tag', 'untag', 'suppress', 'unsubscribe', 'subscribe', 'ask').required(),
  addresses: Joi.array().items(text(1100)).min(1).max(10_000).description('Who is meant, by address'),
  standing: Joi.string().valid('unreachable', 'archived').description('Who is meant, by where they stand'),
  reconciled: Joi.object({ id: id.required(), on: Joi.boolean().required() }).description('Who is meant: on a reconciled list, or of ours and not on it'),
  filter: Joi.object(filter).description('Who is meant: the contacts that /contacts would list'),
  tag: newTag.description('For tag and untag'),
  suppressionListId: id.description('For suppress: a list of your own'),
  brandId: id.description('For unsubscribe: out of every list of this brand'),
  listId: id.description('For subscribe, where the reason says what the permission is; and for ask'),
}; // prettier-ignore
const WHO = ['addresses', 'standing', 'reconciled', 'filter'];
export const actPreview = Joi.object(selection).or(...WHO);
export const actRequest = Joi.object({
  ...selection,
  expect: Joi.number().integer().min(0).required().description('How many the preview said would change; for erasing exactly that'),
  expectMailable: Joi.number().integer().min(0).default(0).description('For archive and erase: whom some brand may still write to, as the preview said'),
  reason,
}).or(...WHO); // prettier-ignore
export const addressesCheck = Joi.object({
  addresses: Joi.array().items(Joi.string().max(1100).allow('')).min(1).max(1000).required(),
});
const values = Joi.array().items(Joi.string().max(1000)).min(1).max(10_000).required();
export const severities = Joi.object(
  Object.fromEntries(SETTABLE_CODES.map((code) => [code, Joi.string().valid('refuse', 'hold', 'note')])),
).min(1);
export const refusedQuery = Joi.object({ ...page, part: text(320).allow('').default('') });
export const newRefused = Joi.object({
  values: values.description('Addresses and domains; a leading dot takes in subdomains'),
  reason,
  expect: Joi.number().integer().min(0).description('How many contacts are at them; asked for only when they are many'),
});
export const removeRefused = Joi.object({ values });
export const releaseRequest = Joi.object({
  codes: Joi.array()
    .items(Joi.string().valid(...SETTABLE_CODES))
    .min(1)
    .unique()
    .description('Only rows held for these; all, if left out'),
  mend: Joi.boolean().default(false).description('Mend slips of a domain on the way'),
  dryRun: Joi.boolean().default(false),
});
const mending = {
  from: text(1100).required().description('A domain, or an address'),
  to: text(1100).required().description('What it becomes'),
};
export const mendPreview = Joi.object(mending);
export const mendRequest = Joi.object({
  ...mending,
  expect: Joi.number().integer().min(0).required().description('How many the preview said would be mended and merged'),
  reason,
});
const outsideVerdict = Joi.string().valid(...OUTSIDE_VERDICTS);
export const verificationQuery = Joi.object({
  name: name(200).required().description('Name of the file'),
  source: text(100).required().description('Who verified; their words are mapped once'),
  checkedAt: Joi.date().iso().max('now').description('When they did; now, if left out'),
  column: text(200).description('Header of the column of verdicts, if it is not found by itself'),
});
export const verifierWords = Joi.object({
  words: Joi.object()
    .pattern(Joi.string().max(200).allow(''), outsideVerdict)
    .min(1)
    .max(1000)
    .required()
    .description('Word of the verifier to verdict'),
});
export const verificationApply = Joi.object({
  expect: Joi.number().integer().min(0).required().description('`willChange` of the file'),
  reason,
});
export const verdictActs = Joi.object(
  Object.fromEntries(
    OUTSIDE_VERDICTS.map((verdict) => [verdict, Joi.string().valid('suppress', 'hold', 'tag', 'nothing')]),
  ),
).min(1);
export const reconcileQuery = Joi.object({
  name: name(200).required().description('Name of the list, as its file is called'),
});
export const reconciledQuery = Joi.object({
  ...page,
  direction: Joi.string().valid('given', 'ours').default('given').description('Rows of the list, or contacts of ours'),
  found: Joi.boolean().description('Only those that match, or only those that do not'),
});
export const priceLadder = Joi.object({
  currency: Joi.string().length(3).uppercase().required(),
  steps: Joi.array()
    .items(Joi.object({ from: Joi.number().integer().min(0).required(), month: Joi.number().min(0).required() }))
    .min(1)
    .max(100)
    .required(),
});
export const contactsQuery = Joi.object({
  ...page,
  ...filter,
  order: Joi.string().valid(...CONTACT_ORDERS).default('oldest').description('By when they came in, or by address; a cursor goes with its order'),
}); // prettier-ignore
export const runJournalQuery = Joi.object({ ...page, where: filter.where, brandId: id }).with('where', 'brandId');
export const contactsExport = Joi.object({
  ...filter,
  format: Joi.string().valid('csv', 'jsonl').default('csv'),
  columns: text(2000).default('address,name,joined_at,deliverability,stage,lists,tags,archived_at').description('Names with commas between; others than these are attributes'),
}); // prettier-ignore
export const checkQuery = Joi.object({ address: text(1000).required() });
const KIND = `(${[...EVENT_KINDS, 'held-back'].join('|')})`;
export const timeLineQuery = Joi.object({
  before: Joi.date().iso(),
  kinds: Joi.string().pattern(new RegExp(`^${KIND}(,${KIND})*$`), 'kinds of events with commas between').description(`Only these kinds, with commas between: ${EVENT_KINDS.join(', ')}, held-back`),
  limit: page.limit,
}); // prettier-ignore

const format = {
  fileName: name(300).default('import.csv'),
  delimiter: Joi.string().valid(',', ';', '\t', '|'),
  encoding: Joi.string().valid(...ENCODINGS),
  header: Joi.boolean().description('Whether the first row names the columns; found by whether it holds an address'),
};
export const fileHeadQuery = Joi.object(format);
export const importQuery = Joi.object({
  ...format,
  listId: id.required(),
  dryRun: Joi.boolean().default(false),
  map: Joi.string()
    .max(10_000)
    .description(
      'JSON: header of the file to address, name, list, joined_at, tags, consent_source, consent_evidence, unsubscribed (from the list) or opted_out (of the brand), yes, no or since when, an attribute with its type behind a colon (visits:number, tier:choice(friend|patron)), or null',
    ),
});
export const resultsQuery = Joi.object({
  only: Joi.string().valid('created', 'updated', 'unchanged', 'suppressed', 'duplicate', 'held', 'refused'),
});

const outsideEvent = Joi.object({
  kind: Joi.string()
    .valid(...EVENT_KINDS)
    .required(),
  at: Joi.string().isoDate().required(),
  source: text(100).required(),
  externalId: text(300).required(),
  address: text(320).required(),
  brandId: id,
  campaignId: id,
  class: Joi.string().valid(...BOUNCE_CLASSES),
  status: text(20).allow(''),
  reply: text(2000).allow(''),
  url: text(2000),
  link: Joi.number().integer().min(0).max(65_535),
  userAgent: text(500).allow(''),
  lists: ids,
  way: text(100),
  what: text(500),
});
export const event = outsideEvent;
export const eventsQuery = Joi.object({
  unknown: Joi.string().valid('refuse', 'create', 'keep').default('refuse').description('What is done with an address that is no contact: refused by line, made a contact on no list, or the event kept aside until it is one'),
}); // prettier-ignore
export const MOST_EVENTS = 10_000;

const afterwards = Joi.string()
  .pattern(/^(leave|flag|delete|move:.{1,200})$/, 'leave, flag, delete, or move: and a folder')
  .default('leave');
export const mailbox = Joi.object({
  name: name(100).required(),
  host: Joi.string().hostname().required(),
  port: Joi.number().port().default(993),
  security: Joi.string().valid('tls', 'starttls', 'none').default('tls').description('`none` is for a server on this machine'),
  account: text(320).required(),
  password: Joi.string().max(1000).description('Kept encrypted, for this host, port and account alone; without it, the one that is kept for them goes on'),
  folder: text(500).default('INBOX'),
  brandId: id.allow(null).default(null),
  idles: Joi.boolean().default(true).description('The server tells when something comes (RFC 2177); else it is polled'),
  pollSeconds: Joi.number().integer().min(1).max(86_400).default(60),
  afterwards: Joi.object({ counted: afterwards, noted: afterwards, unmatched: afterwards }).default({ counted: 'leave', noted: 'leave', unmatched: 'leave' }).description('What is done with a message in the mailbox, by what became of it'),
}); // prettier-ignore
export const mailboxPause = Joi.object({ paused: Joi.boolean().required() });
export const asideQuery = Joi.object({ ...page, address: text(320).description('Only those of this address') });
export const asideDrop = Joi.object({ address: text(320).description('Only those of this address; without it, all') });
const automatedRuleFields = {
  campaigns: Joi.number()
    .integer()
    .min(1)
    .max(1000)
    .description('Acts by a machine on so many campaigns, and none by a person'),
  opens: Joi.number().integer().min(5).max(100_000).description('Or more opens than this'),
  days: Joi.number().integer().min(1).max(3650).description('within so many days'),
  acts: Joi.number().integer().min(1).max(100).description('with fewer acts by a person than this, ever'),
  stops: Joi.boolean().description('Whether a mark holds back from marketing'),
};
export const automatedPreview = Joi.object({ rule: Joi.object(automatedRuleFields) });
export const automatedApply = Joi.object({
  rule: Joi.object(automatedRuleFields),
  expect: Joi.number().integer().min(0).required(),
  reason: text(500).required(),
});
export const automatedQuery = Joi.object({
  ...page,
  state: Joi.string().valid('marked', 'cleared', 'person').default('marked'),
});
export const automatedJudge = Joi.object({
  addresses: Joi.array().items(text(320)).min(1).max(1000).required(),
  as: Joi.string().valid('person', 'machine').required(),
  reason: text(500).required(),
});
export const rejudge = Joi.object({
  expect: Joi.number().integer().min(0).required().description('Acts that change, as the preview says'),
  reason: text(500).required(),
});
export const sites = Joi.object({
  hosts: Joi.array()
    .items(text(253))
    .max(200)
    .required()
    .description('Hosts of your own, as www.larkfield.example; those below them are meant too'),
});
export const proxyList = Joi.object({
  networks: Joi.array().items(text(60)).max(5000).required().description('CIDR blocks, as 192.0.2.0/24 or 2001:db8::/32'),
  agents: Joi.array().items(text(100).min(3)).max(500).required().description('Words in a user agent, in any case'),
}); // prettier-ignore
export const returnMatch = Joi.object({
  address: text(320).required().description('Address of the contact it is about'),
  campaignId: id.description('The campaign it is about; without it, the latest that the contact was sent'),
});
export const returnCountsQuery = Joi.object({ days: Joi.number().integer().min(1).max(365).default(30) });
export const stormRule = Joi.object({
  share: Joi.number().greater(0).max(1).description('More than this share of the domain’s messages of an hour came back hard'),
  least: Joi.number().integer().min(1).max(1_000_000).description('And at least so many'),
  days: Joi.number().integer().min(1).max(365).description('Though it took mail in so many days before'),
}).min(1); // prettier-ignore
export const stormsQuery = Joi.object({ state: Joi.string().valid('held', 'released', 'dismissed') });
export const stormRelease = Joi.object({
  expect: Joi.number().integer().min(0).required().description('How many contacts the storm is about'),
  reason,
});
export const stormDismissal = Joi.object({ reason });
export const returnsQuery = Joi.object({
  ...page,
  state: Joi.string().valid('counted', 'noted', 'asks', 'held', 'unmatched', 'dismissed'),
});

export const newSuppressionList = Joi.object({
  name: name(100).required(),
  scope: Joi.string()
    .valid(...SCOPES)
    .default('organisation'),
  scopeId: id
    .allow(null)
    .when('scope', { is: 'organisation', then: Joi.valid(null).default(null), otherwise: id.required() }),
  reach: Joi.string()
    .valid(...REACHES)
    .default('everything'),
  exact: Joi.boolean().default(false).description('An address with a sub-address is another address'),
});
export const newEntries = Joi.object({
  values: Joi.array()
    .items(Joi.string().max(1000).allow(''))
    .min(1)
    .max(50_000)
    .required()
    .description('Addresses, domains (a leading dot takes in subdomains) or SHA-256 of addresses'),
  reason,
  expiresAt: Joi.string().isoDate().allow(null).default(null),
});
/** Of the whole file; a page of them is asked for with more. */
export const entriesFileQuery = Joi.object({
  standing: Joi.string().valid('in-effect', 'past', 'all').default('all'),
  part: text(320).allow('').default(''),
});
export const entriesQuery = entriesFileQuery.keys({
  ...page,
  order: Joi.string().valid('oldest', 'newest').default('oldest').description('By when they were entered; a cursor goes with its order'),
}); // prettier-ignore
export const liftRequest = Joi.object({ entryIds: Joi.array().items(longId).min(1).max(10_000).required(), reason });

export const pageQuery = Joi.object(page);
export const brandQuery = Joi.object({ brandId: id.required() });
