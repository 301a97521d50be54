import Joi from 'joi';
import { name, instant, anyText, id, version, text, arrayOf, idParams, brandQuery } from './parts.ts';
import { type Storm, stormSchema } from './storms.ts';
import { type CampaignListItem, campaignListItemSchema } from './campaigns.ts';
import { type Run, runSchema } from './runs.ts';
import { type Swept, type Retention, type RetentionState, RETENTION_WORDS } from '../retention.ts';
import { contract } from './contract.ts';

/** What changed since yesterday in a brand, what needs a look, what is due and under way. */
export interface Today {
  brandId: number;
  since: string;
  at: string;
  changed: {
    subscribed: number;
    unsubscribed: number;
    undeliverable: number;
    complained: number;
    toSunset: number;
    fromSunset: number;
    bounceCount: number;
    lifted: number;
  };
  /** The latest twenty that reached the bounce count. */
  bounceCount: {
    contactId: number;
    address: string;
    name: string | null;
    since: string;
    bounces: { at: string; reply: string | null; campaignName: string | null }[];
  }[];
  unmatchedReturns: number;
  /** Hard bounces known by their Message-ID alone, for a person to decide. */
  heldReturns: number;
  /** Replies that ask to stop, for a person to decide. */
  asking: number;
  /**
   * What goes on by itself and failed when it was last its turn; `brandId` is null where it concerns the organisation.
   */
  troubles: { what: string; brandId: number | null; detail: string; since: string; lastAt: string }[];
  /** Relays of the brand that took no message when it was last their turn. */
  relays: { id: number; name: string; trouble: string; since: string }[];
  /** Held for a person. */
  storms: Storm[];
  /** Domains that something stopped in campaigns under way, and what the brake warns of in those that ended. */
  stops: { campaignId: number; campaignName: string; domain: string | null; because: string; at: string }[];
  sending: CampaignListItem[];
  drafts: CampaignListItem[];
  /** When what follows was counted, of everybody: for a large base some minutes before `at`. */
  countedAt: string;
  /** Null where it cannot be worked out; then it is among the troubles. */
  ladder: { moving: number; toSunset: number } | null;
  mayBeWrittenTo: { covered: number; mayBeWritten: number };
  days: { day: string; accepted: number; bounced: number; complained: number }[];
  runs: Run[];
}
const todaySchema = Joi.object<Today, true>({
  brandId: Joi.number().required(),
  since: instant.required(),
  at: instant.required(),
  changed: Joi.object<Today['changed'], true>({
    subscribed: Joi.number().required(),
    unsubscribed: Joi.number().required(),
    undeliverable: Joi.number().required(),
    complained: Joi.number().required(),
    toSunset: Joi.number().required(),
    fromSunset: Joi.number().required(),
    bounceCount: Joi.number().required(),
    lifted: Joi.number().required(),
  }).required(),
  bounceCount: Joi.array()
    .items(
      Joi.object<Today['bounceCount'][number], true>({
        contactId: Joi.number().required(),
        address: anyText.required(),
        name: anyText.allow(null).required(),
        since: instant.required(),
        bounces: Joi.array()
          .items(
            Joi.object<Today['bounceCount'][number]['bounces'][number], true>({
              at: instant.required(),
              reply: anyText.allow(null).required(),
              campaignName: anyText.allow(null).required(),
            }),
          )
          .required(),
      }),
    )
    .required(),
  unmatchedReturns: Joi.number().required(),
  heldReturns: Joi.number().required(),
  asking: Joi.number().required(),
  troubles: Joi.array()
    .items(
      Joi.object<Today['troubles'][number], true>({
        what: anyText.required(),
        brandId: Joi.number().allow(null).required(),
        detail: anyText.required(),
        since: instant.required(),
        lastAt: instant.required(),
      }),
    )
    .required(),
  relays: Joi.array()
    .items(
      Joi.object<Today['relays'][number], true>({
        id: Joi.number().required(),
        name: anyText.required(),
        trouble: anyText.required(),
        since: instant.required(),
      }),
    )
    .required(),
  storms: Joi.array().items(stormSchema).required(),
  stops: Joi.array()
    .items(
      Joi.object<Today['stops'][number], true>({
        campaignId: Joi.number().required(),
        campaignName: anyText.required(),
        domain: anyText.allow(null).required(),
        because: anyText.required(),
        at: instant.required(),
      }),
    )
    .required(),
  sending: Joi.array().items(campaignListItemSchema).required(),
  drafts: Joi.array().items(campaignListItemSchema).required(),
  countedAt: instant.required(),
  ladder: Joi.object<NonNullable<Today['ladder']>, true>({
    moving: Joi.number().required(),
    toSunset: Joi.number().required(),
  })
    .allow(null)
    .required(),
  mayBeWrittenTo: Joi.object<Today['mayBeWrittenTo'], true>({
    covered: Joi.number().required(),
    mayBeWritten: Joi.number().required(),
  }).required(),
  days: Joi.array()
    .items(
      Joi.object<Today['days'][number], true>({
        day: anyText.required(),
        accepted: Joi.number().required(),
        bounced: Joi.number().required(),
        complained: Joi.number().required(),
      }),
    )
    .required(),
  runs: Joi.array().items(runSchema).required(),
});

/** What contacts subscribe to. Days are counted from the sign-up. */
export interface List {
  id: number;
  brandId: number;
  name: string;
  optIn: 'single' | 'double';
  /** What somebody who signs up agrees to, shown on the form and kept with the sign-up. */
  agreement: string;
  /** Days after the sign-up on which an unconfirmed one is reminded; two at most. */
  remindDays: number[];
  /** Days after which an unconfirmed sign-up ends. */
  expireDays: number;
  /** Whether the preference page behind every message of the brand shows it. */
  isPublic: boolean;
  /** Rises with each change. */
  version: number;
  /** The page with the list's sign-up form, to be linked or framed. */
  signUpUrl: string;
  createdAt: string;
}
const listSchema = Joi.object<List, true>({
  id: Joi.number().required(),
  brandId: Joi.number().required(),
  name: anyText.required(),
  optIn: Joi.string().valid('single', 'double').required(),
  agreement: anyText.required(),
  remindDays: Joi.array().items(Joi.number()).required(),
  expireDays: Joi.number().required(),
  isPublic: Joi.boolean().required(),
  version: Joi.number().required(),
  signUpUrl: anyText.required(),
  createdAt: instant.required(),
});

/** How many are on a list, archived and erased contacts apart. A list that nobody was ever on is not counted. */
export interface ListCount {
  listId: number;
  subscribed: number;
  pending: number;
  unsubscribed: number;
}
const listCountSchema = Joi.object<ListCount, true>({
  listId: Joi.number().required(),
  subscribed: Joi.number().required(),
  pending: Joi.number().required(),
  unsubscribed: Joi.number().required(),
});

/**
 * A sender identity. `zone` is the IANA time zone in which its days begin and end; `testedAt` when the relay last took
 * a test message from it.
 */
export interface Brand {
  id: number;
  name: string;
  fromAddress: string;
  returnDomain: string;
  zone: string;
  testedAt: string | null;
  createdAt: string;
}
const brandSchema = Joi.object<Brand, true>({
  id: Joi.number().required(),
  name: anyText.required(),
  fromAddress: anyText.required(),
  returnDomain: anyText.required(),
  zone: anyText.required(),
  testedAt: instant.allow(null).required(),
  createdAt: instant.required(),
});

const sweptSchema = Joi.object<Swept, true>({
  at: instant.required(),
  acts: Joi.number().required(),
  signUps: Joi.number().required(),
  rawReturns: Joi.number().required(),
  unmatched: Joi.number().required(),
  files: Joi.number().required(),
});

const retentionFields = {
  networkDays: Joi.number().required(),
  rawReturnDays: Joi.number().required(),
  unmatchedDays: Joi.number().required(),
  fileDays: Joi.number().required(),
};
const retentionStateSchema = Joi.object<RetentionState, true>({
  ...retentionFields,
  swept: sweptSchema.allow(null).required(),
});

const keptDays = Joi.number().integer().min(1).max(3650);

export const retention = Joi.object<Partial<Retention>, true>({
  networkDays: keptDays.description(RETENTION_WORDS.networkDays),
  rawReturnDays: keptDays.description(RETENTION_WORDS.rawReturnDays),
  unmatchedDays: keptDays.description(RETENTION_WORDS.unmatchedDays),
  fileDays: keptDays.description(RETENTION_WORDS.fileDays),
}).min(1);

/** Body of `PATCH /brands/:id`. */
export interface BrandChange {
  name?: string;
  fromAddress?: string;
  returnDomain?: string;
  zone?: string;
}
const ofBrand = {
  name: name(100),
  fromAddress: text(320).email({ tlds: false }),
  returnDomain: text(253).domain({ tlds: false }).description('Domain whose mail comes to the intake'),
  zone: text(64)
    .custom((zone: string) => (new Intl.DateTimeFormat('en', { timeZone: zone }), zone))
    .messages({ 'any.custom': 'zone must be an IANA time zone, as Europe/Berlin' })
    .description('IANA time zone'),
};
const brandChange = Joi.object<BrandChange, true>(ofBrand).min(1);

/** Body of `POST /brands`. */
export interface NewBrand {
  name: string;
  fromAddress: string;
  returnDomain: string;
  zone?: string;
}
const newBrand = Joi.object<NewBrand, true>({
  name: ofBrand.name.required(),
  fromAddress: ofBrand.fromAddress.required(),
  returnDomain: ofBrand.returnDomain.required(),
  zone: ofBrand.zone.default('UTC'),
});

export const day = Joi.number().integer().min(1).max(365);

export const ofList = {
  agreement: text(2000).allow('').description('What somebody who signs up agrees to; kept with each sign-up'),
  remindDays: Joi.array()
    .items(day)
    .max(2)
    .unique()
    .sort({ order: 'ascending' })
    .description('Days after which an unconfirmed sign-up is reminded'),
  expireDays: day.description('Days after which an unconfirmed sign-up ends'),
  isPublic: Joi.boolean().description('Whether the preference page behind every message of the brand shows it'),
};

/** Body of `POST /lists`. */
export interface NewList {
  brandId: number;
  name: string;
  optIn?: 'single' | 'double';
  agreement?: string;
  remindDays?: number[];
  expireDays?: number;
  isPublic?: boolean;
}
const newList = Joi.object<NewList, true>({
  brandId: id.required(),
  name: name(100).required(),
  optIn: Joi.string().valid('single', 'double').default('single'),
  ...ofList,
  isPublic: ofList.isPublic.default(true),
});

/** Body of `PATCH /lists/:id`. */
export interface ListChange {
  name?: string;
  optIn?: 'single' | 'double';
  agreement?: string;
  remindDays?: number[];
  expireDays?: number;
  isPublic?: boolean;
  version?: number;
}
const listChange = Joi.object<ListChange, true>({
  name: name(100),
  optIn: Joi.string().valid('single', 'double'),
  ...ofList,
  version,
}).or('name', 'optIn', ...Object.keys(ofList));

/** Organisation. */
export const organisation = {
  brands: contract({
    method: 'get',
    path: '/brands',
    summary: 'Brands of the organisation',
    answer: arrayOf(brandSchema),
    example: {},
  }),
  retention: contract({
    method: 'get',
    path: '/retention',
    summary: 'For how many days what is known of people is kept, and what the last sweep took away',
    answer: retentionStateSchema,
    example: {},
  }),
  saveRetention: contract({
    method: 'patch',
    path: '/retention',
    summary: 'Change for how many days things are kept; what is too old goes with the next sweep, at night',
    needs: 'administer',
    body: retention,
    answer: retentionStateSchema,
    example: { networkDays: 60 },
  }),
  createBrand: contract({
    method: 'post',
    path: '/brands',
    summary: 'Create a brand, with the suppression lists that rules fill for it',
    needs: 'administer',
    body: newBrand,
    filled: ['zone'],
    status: 201,
    answer: brandSchema,
    problems: ['name-taken'],
    example: {
      name: 'Larkfield Shop',
      fromAddress: 'shop@larkfield.example',
      returnDomain: 'returns.shop.larkfield.example',
      zone: 'Europe/Lisbon',
    },
  }),
  changeBrand: contract({
    method: 'patch',
    path: '/brands/:id',
    summary: 'Change how a brand sends: its name, address, return domain, time zone',
    needs: 'administer',
    params: idParams,
    body: brandChange,
    answer: brandSchema,
    problems: ['name-taken', 'not-found'],
    example: { id: 1, zone: 'Europe/Lisbon' },
  }),
  listCounts: contract({
    method: 'get',
    path: '/lists/counts',
    summary: 'How many are on each list, by whether they are subscribed or wait to confirm',
    answer: arrayOf(listCountSchema),
    example: {},
  }),
  lists: contract({
    method: 'get',
    path: '/lists',
    summary: 'Lists of all brands',
    answer: arrayOf(listSchema),
    example: {},
  }),
  changeList: contract({
    method: 'patch',
    path: '/lists/:id',
    summary: 'Change a list: its name, opt-in, agreement, reminders',
    params: idParams,
    body: listChange,
    answer: listSchema,
    problems: ['changed-meanwhile', 'name-taken', 'not-found'],
    example: { id: 1, optIn: 'double', remindDays: [3], expireDays: 14 },
  }),
  createList: contract({
    method: 'post',
    path: '/lists',
    summary: 'Create a list',
    body: newList,
    filled: ['optIn', 'isPublic'],
    status: 201,
    answer: listSchema,
    problems: ['name-taken', 'not-found'],
    example: { brandId: 1, name: 'Stall Letters', optIn: 'double' },
  }),
  today: contract({
    method: 'get',
    path: '/today',
    summary: 'What changed since yesterday, and what needs a look',
    query: brandQuery,
    answer: todaySchema,
    problems: ['not-found'],
    example: { brandId: 1 },
  }),
};
