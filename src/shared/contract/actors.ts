import Joi from 'joi';
import { anyText, instant, text, page, pageOf, type PageQuery } from './parts.ts';
import { contract } from './contract.ts';
import { runSchema } from './runs.ts';

/** When an address is taken for one that a program reads. */
export interface AutomatedRule {
  /** Acts by a machine on so many campaigns and none by a person… */
  campaigns: number;
  /** …or more opens than this within `days`… */
  opens: number;
  days: number;
  /** …with fewer acts than this by a person, ever. An open is the weakest of acts and none of these. */
  acts: number;
  /** Whether a mark holds back from marketing. */
  stops: boolean;
}
const automatedRuleSchema = Joi.object<AutomatedRule, true>({
  campaigns: Joi.number().required(),
  opens: Joi.number().required(),
  days: Joi.number().required(),
  acts: Joi.number().required(),
  stops: Joi.boolean().required(),
});

/** Whose mark as an automated address would come or go. */
export interface AutomatedPreview {
  rule: AutomatedRule;
  counts: { marked: number; cleared: number; person: number };
  toMark: number;
  toClear: number;
  sample: { contactId: number; address: string; to: 'marked' | 'cleared'; because: string }[];
}
const automatedPreviewSchema = Joi.object<AutomatedPreview, true>({
  rule: automatedRuleSchema.required(),
  counts: Joi.object<AutomatedPreview['counts'], true>({
    marked: Joi.number().required(),
    cleared: Joi.number().required(),
    person: Joi.number().required(),
  }).required(),
  toMark: Joi.number().required(),
  toClear: Joi.number().required(),
  sample: Joi.array()
    .items(
      Joi.object<AutomatedPreview['sample'][number], true>({
        contactId: Joi.number().required(),
        address: anyText.required(),
        to: Joi.string().valid('marked', 'cleared').required(),
        because: anyText.required(),
      }),
    )
    .required(),
});

/** An address that looks automated, with the evidence and who decided. */
export interface AutomatedAddress {
  contactId: number;
  address: string;
  name: string | null;
  archived: boolean;
  state: 'marked' | 'cleared' | 'person';
  /** Who said so; null for the rule. */
  decidedBy: string | null;
  since: string;
  evidence: { because?: string };
}
const automatedAddressSchema = Joi.object<AutomatedAddress, true>({
  contactId: Joi.number().required(),
  address: anyText.required(),
  name: anyText.allow(null).required(),
  archived: Joi.boolean().required(),
  state: Joi.string().valid('marked', 'cleared', 'person').required(),
  decidedBy: anyText.allow(null).required(),
  since: instant.required(),
  evidence: Joi.object<AutomatedAddress['evidence'], true>({ because: anyText }).required(),
});

/** Your own sites, on which the script tells of visits. */
export interface Sites {
  hosts: string[];
  scriptUrl: string;
}
const sitesSchema = Joi.object<Sites, true>({
  hosts: Joi.array().items(anyText).required(),
  scriptUrl: anyText.required(),
});

/** Image proxies, as the operator keeps them. */
export interface ProxyList {
  networks: string[];
  agents: string[];
}
const proxyListSchema = Joi.object<ProxyList, true>({
  networks: Joi.array().items(anyText).required(),
  agents: Joi.array().items(anyText).required(),
});

/** Opens and clicks that would be judged otherwise by the lists and rules of today. */
export interface RejudgePreview {
  acts: number;
  contacts: number;
  moves: { kind: 'opened' | 'clicked' | 'visited'; from: string; to: string; acts: number }[];
  /** `at` in milliseconds since the epoch. */
  sample: {
    contactId: number;
    address: string;
    kind: 'opened' | 'clicked' | 'visited';
    at: number;
    from: string;
    to: string;
  }[];
}
const rejudgePreviewSchema = Joi.object<RejudgePreview, true>({
  acts: Joi.number().required(),
  contacts: Joi.number().required(),
  moves: Joi.array()
    .items(
      Joi.object<RejudgePreview['moves'][number], true>({
        kind: Joi.string().valid('opened', 'clicked', 'visited').required(),
        from: anyText.required(),
        to: anyText.required(),
        acts: Joi.number().required(),
      }),
    )
    .required(),
  sample: Joi.array()
    .items(
      Joi.object<RejudgePreview['sample'][number], true>({
        contactId: Joi.number().required(),
        address: anyText.required(),
        kind: Joi.string().valid('opened', 'clicked', 'visited').required(),
        at: Joi.number().required(),
        from: anyText.required(),
        to: anyText.required(),
      }),
    )
    .required(),
});

/** Activity as derived anew from the events. */
export interface RebuiltActivity {
  rows: number;
  differing: number;
  sample: number[];
}
const rebuiltActivitySchema = Joi.object<RebuiltActivity, true>({
  rows: Joi.number().required(),
  differing: Joi.number().required(),
  sample: Joi.array().items(Joi.number()).required(),
});

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

/** Body of `POST /automated-addresses/preview`. */
export interface AutomatedPreviewRequest {
  rule?: Partial<AutomatedRule>;
}
const automatedPreview = Joi.object<AutomatedPreviewRequest, true>({ rule: Joi.object(automatedRuleFields) });

/** Body of `POST /automated-addresses/apply`. */
export interface AutomatedApply {
  rule?: Partial<AutomatedRule>;
  expect: number;
  reason: string;
}
const automatedApply = Joi.object<AutomatedApply, true>({
  rule: Joi.object(automatedRuleFields),
  expect: Joi.number().integer().min(0).required(),
  reason: text(500).required(),
});

/** Query of `GET /automated-addresses`. */
export interface AutomatedQuery extends PageQuery {
  state?: 'marked' | 'cleared' | 'person';
}
const automatedQuery = Joi.object<AutomatedQuery, true>({
  ...page,
  state: Joi.string().valid('marked', 'cleared', 'person').default('marked'),
});

/** Body of `POST /automated-addresses/judge`. */
export interface AutomatedJudge {
  addresses: string[];
  as: 'person' | 'machine';
  reason: string;
}
const automatedJudge = Joi.object<AutomatedJudge, true>({
  addresses: Joi.array().items(text(320)).min(1).max(1000).required(),
  as: Joi.string().valid('person', 'machine').required(),
  reason: text(500).required(),
});

/** Body of `POST /activity/judge`. */
export interface RejudgeRequest {
  expect: number;
  reason: string;
}
export const rejudge = Joi.object<RejudgeRequest, true>({
  expect: Joi.number().integer().min(0).required().description('Acts that change, as the preview says'),
  reason: text(500).required(),
});

/** Body of `PATCH /sites`. */
export interface NewSites {
  hosts: string[];
}
export const sites = Joi.object<NewSites, true>({
  hosts: Joi.array()
    .items(text(253))
    .max(200)
    .required()
    .description('Hosts of your own, as www.larkfield.example; those below them are meant too'),
});

const proxyList = Joi.object<ProxyList, true>({
  networks: Joi.array()
    .items(text(60))
    .max(5000)
    .required()
    .description('CIDR blocks, as 192.0.2.0/24 or 2001:db8::/32'),
  agents: Joi.array().items(text(100).min(3)).max(500).required().description('Words in a user agent, in any case'),
});

/** Actors. */
export const actors = {
  rebuildActivity: contract({
    method: 'post',
    path: '/activity/rebuild',
    summary: 'Derive all activity from the events, report what differed and put it right',
    needs: 'administer',
    answer: rebuiltActivitySchema,
    example: {},
  }),
  previewRejudging: contract({
    method: 'post',
    path: '/activity/judge/preview',
    summary: 'Which stored opens and clicks would be judged otherwise by the lists and rules of today',
    answer: rejudgePreviewSchema,
    example: {},
  }),
  rejudgeActs: contract({
    method: 'post',
    path: '/activity/judge',
    summary: 'Judge all stored opens and clicks anew, as a run',
    body: rejudge,
    status: 202,
    answer: runSchema,
    problems: ['count-moved'],
    example: { expect: 0, reason: 'the list of proxies was mended' },
  }),
  proxies: contract({
    method: 'get',
    path: '/proxies',
    summary: 'Networks and user agents of image proxies, as the operator keeps them',
    answer: proxyListSchema,
    example: {},
  }),
  saveProxies: contract({
    method: 'patch',
    path: '/proxies',
    summary: 'Keep another list of image proxies; past opens stay as they were until they are judged anew',
    body: proxyList,
    answer: proxyListSchema,
    example: { networks: ['192.0.2.0/24'], agents: ['ImageFetcher'] },
  }),
  sites: contract({
    method: 'get',
    path: '/sites',
    summary: 'Your own sites, on which the script tells of visits',
    answer: sitesSchema,
    example: {},
  }),
  saveSites: contract({
    method: 'patch',
    path: '/sites',
    summary: 'Keep other sites; links of messages to them name who comes, by a signed token',
    body: sites,
    answer: sitesSchema,
    example: { hosts: ['www.larkfield.example'] },
  }),
  automated: contract({
    method: 'get',
    path: '/automated-addresses',
    summary: 'Addresses that look automated, with their evidence',
    query: automatedQuery,
    filled: ['limit', 'state'],
    answer: pageOf(automatedAddressSchema),
    example: { state: 'marked', limit: 20 },
  }),
  previewAutomated: contract({
    method: 'post',
    path: '/automated-addresses/preview',
    summary: 'Whose mark would come or go, under the saved rule or one that is tried',
    body: automatedPreview,
    answer: automatedPreviewSchema,
    example: { rule: { campaigns: 3 } },
  }),
  applyAutomated: contract({
    method: 'post',
    path: '/automated-addresses/apply',
    summary: 'Mark by the rule, as a run',
    body: automatedApply,
    status: 202,
    answer: runSchema,
    problems: ['count-moved'],
    example: { expect: 0, reason: 'the week’s look' },
  }),
  judgeAutomated: contract({
    method: 'post',
    path: '/automated-addresses/judge',
    summary: 'Say of addresses whether a person or a machine reads them; the rule leaves them so',
    body: automatedJudge,
    answer: runSchema,
    problems: ['not-found'],
    example: { addresses: ['ada@lanternpost.example'], as: 'person', reason: 'she answered by telephone' },
  }),
};
