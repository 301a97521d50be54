import Joi from 'joi';
import { anyText, oneOf, id, instant, page, name, pageOf, idParams, arrayOf, type PageQuery } from './parts.ts';
import {
  type AttributeKind,
  ATTRIBUTE_TYPES,
  type Encoding,
  type Delimiter,
  DELIMITERS,
  ENCODINGS,
  type SettableCode,
  SETTABLE_CODES,
} from '../words.ts';
import { contract } from './contract.ts';

/** Whose name a dry run would replace: how many, and twenty of the first. */
export interface Renames {
  contacts: number;
  sample: { contactId: number; address: string; before: string; after: string }[];
}
const renamesSchema = Joi.object<Renames, true>({
  contacts: Joi.number().required(),
  sample: Joi.array()
    .items(
      Joi.object<Renames['sample'][number], true>({
        contactId: Joi.number().required(),
        address: anyText.required(),
        before: anyText.required(),
        after: anyText.required(),
      }),
    )
    .required(),
});

/** What an attribute of the organisation's own holds. */
export interface Attribute {
  type: AttributeKind;
  choices?: string[];
}
const attributeSchema = Joi.object<Attribute, true>({
  type: oneOf(ATTRIBUTE_TYPES).required(),
  choices: Joi.array().items(anyText),
});

/** One import of a file, and how far it is. `counts` are rows by outcome, codes put together. */
export interface Import {
  id: number;
  listId: number;
  /** Of the list's brand: days in the file begin in it. */
  zone: string;
  fileName: string;
  bytes: number;
  options: {
    mapping: Record<string, string | null>;
    /** Types of the attributes among them. */
    types?: Record<string, Attribute>;
    delimiter: string;
    encoding?: Encoding;
    header?: boolean;
    /** The mapping is the one that was given for an earlier file with this header. */
    kept?: boolean;
    /**
     * It takes in rows of another import that waited: all, or those held for these codes; `mend` is the domain that
     * was meant by the one given.
     */
    held?: { of: number; codes?: string[]; mend: Record<string, string> };
  };
  dryRun: boolean;
  state: 'receiving' | 'waiting' | 'applying' | 'finished' | 'failed' | 'cancelled';
  /** Rows in the file; while it is read, as many as its bytes so far let expect. */
  rowsExpected: number;
  rowsDone: number;
  counts: Record<string, number>;
  problem: { detail: string } | null;
  runId: number | null;
  /** Of a dry run: the import that did the same for real. */
  appliedAs: number | null;
  createdAt: string;
  finishedAt: string | null;
  /** Who began it. */
  actor: string;
}
export const importSchema = Joi.object<Import, true>({
  id: Joi.number().required(),
  listId: Joi.number().required(),
  zone: anyText.required(),
  fileName: anyText.required(),
  bytes: Joi.number().required(),
  options: Joi.object<Import['options'], true>({
    mapping: Joi.object().pattern(Joi.string(), anyText.allow(null)).required(),
    types: Joi.object().pattern(Joi.string(), attributeSchema),
    delimiter: anyText.required(),
    encoding: oneOf(ENCODINGS),
    header: Joi.boolean(),
    kept: Joi.boolean(),
    held: Joi.object<NonNullable<Import['options']['held']>, true>({
      of: Joi.number().required(),
      codes: Joi.array().items(anyText),
      mend: Joi.object().pattern(Joi.string(), anyText).required(),
    }),
  }).required(),
  dryRun: Joi.boolean().required(),
  state: Joi.string().valid('receiving', 'waiting', 'applying', 'finished', 'failed', 'cancelled').required(),
  rowsExpected: Joi.number().required(),
  rowsDone: Joi.number().required(),
  counts: Joi.object().pattern(Joi.string(), Joi.number()).required(),
  problem: Joi.object<NonNullable<Import['problem']>, true>({ detail: anyText.required() }).allow(null).required(),
  runId: Joi.number().allow(null).required(),
  appliedAs: Joi.number().allow(null).required(),
  createdAt: instant.required(),
  finishedAt: instant.allow(null).required(),
  actor: anyText.required(),
});

/** What a person decided about held rows. */
export interface HeldDecision {
  decided: 'as-is' | 'mended' | 'left-out';
  /** The import that took them in. */
  importId: number | null;
  actor: string;
  at: string;
}
const heldDecisionSchema = Joi.object<HeldDecision, true>({
  decided: Joi.string().valid('as-is', 'mended', 'left-out').required(),
  importId: Joi.number().allow(null).required(),
  actor: anyText.required(),
  at: instant.required(),
});

export interface HeldDomain {
  domain: string;
  rows: number;
  /** The domain that was probably meant. */
  proposal: string | null;
  /** Five addresses at most. */
  sample: string[];
}
const heldDomainSchema = Joi.object<HeldDomain, true>({
  domain: anyText.required(),
  rows: Joi.number().required(),
  proposal: anyText.allow(null).required(),
  sample: Joi.array().items(anyText).required(),
});

/** Rows of an import that were held for one reason, by domain, the most rows first. */
export interface HeldRows {
  code: SettableCode;
  rows: number;
  /** Null while they wait. */
  decision: HeldDecision | null;
  /** Of 200 domains at most. */
  domains: HeldDomain[];
}
const heldRowsSchema = Joi.object<HeldRows, true>({
  code: oneOf(SETTABLE_CODES).required(),
  rows: Joi.number().required(),
  decision: heldDecisionSchema.allow(null).required(),
  domains: Joi.array().items(heldDomainSchema).required(),
});

/** What is found of a table from its beginning, for correction. */
export interface FileHead {
  encoding: Encoding;
  delimiter: Delimiter;
  /** The first row names the columns. Where it does not, they are called “address” and “column 2”. */
  header: boolean;
  /**
   * A use is `address`, `name`, `list`, `joined_at`, `tags`, `consent_source`, `consent_evidence`, `unsubscribed`,
   * `opted_out`, or an attribute, its type behind a colon.
   */
  columns: { header: string; use: string | null; samples: string[] }[];
  /** The uses are those that were given for an earlier file with this header. */
  kept: boolean;
}
const fileHeadSchema = Joi.object<FileHead, true>({
  encoding: oneOf(ENCODINGS).required(),
  delimiter: oneOf(DELIMITERS).required(),
  header: Joi.boolean().required(),
  columns: Joi.array()
    .items(
      Joi.object<FileHead['columns'][number], true>({
        header: anyText.required(),
        use: anyText.allow(null).required(),
        samples: Joi.array().items(anyText).required(),
      }),
    )
    .required(),
  kept: Joi.boolean().required(),
});

const heldCodes = Joi.array()
  .items(oneOf(SETTABLE_CODES))
  .min(1)
  .unique()
  .description('Only rows held for these; all that wait, if left out');

/** Body of `POST /imports/:id/leave-out`. */
export interface LeaveOutRequest {
  codes?: SettableCode[];
}
const leaveOutRequest = Joi.object<LeaveOutRequest, true>({ codes: heldCodes });

/** Body of `POST /imports/:id/release`. */
export interface ReleaseRequest {
  codes?: SettableCode[];
  mend?: boolean;
  dryRun?: boolean;
}
const releaseRequest = Joi.object<ReleaseRequest, true>({
  codes: heldCodes,
  mend: Joi.boolean().default(false).description('Mend slips of a domain on the way'),
  dryRun: Joi.boolean().default(false),
});

/** Query of `GET /imports`. */
export interface ImportsQuery extends PageQuery {
  brandId?: number;
}
const importsQuery = Joi.object<ImportsQuery, true>({
  ...page,
  brandId: id.description('Only into lists of this brand'),
});

export const format = {
  fileName: name(300).default('import.csv'),
  delimiter: oneOf(DELIMITERS),
  encoding: oneOf(ENCODINGS),
  header: Joi.boolean().description('Whether the first row names the columns; found by whether it holds an address'),
};

/** How a table is to be read; what is not said is found from its beginning. Query of `POST /imports/head`. */
export interface FileFormat {
  fileName?: string;
  delimiter?: Delimiter;
  encoding?: Encoding;
  header?: boolean;
}
const fileHeadQuery = Joi.object<FileFormat, true>(format);

/** Query of `POST /imports`. */
export interface ImportQuery extends FileFormat {
  listId: number;
  dryRun?: boolean;
  map?: string;
}
const importQuery = Joi.object<ImportQuery, true>({
  ...format,
  listId: id.required(),
  dryRun: Joi.boolean().default(false),
  map: Joi.string()
    .max(10_000)
    .description(
      'JSON: header of the file to address, name, list, joined_at, tags, consent_source, consent_evidence, unsubscribed (from the list) or opted_out (of the brand), yes, no or since when, an attribute with its type behind a colon (visits:number, tier:choice(friend|patron)), or null',
    ),
});

/** Query of `GET /imports/:id/results.csv`. */
export interface ResultsQuery {
  only?: 'created' | 'updated' | 'unchanged' | 'suppressed' | 'duplicate' | 'held' | 'refused';
}
const resultsQuery = Joi.object<ResultsQuery, true>({
  only: Joi.string().valid('created', 'updated', 'unchanged', 'suppressed', 'duplicate', 'held', 'refused'),
});

/** Imports. */
export const imports = {
  importFile: contract({
    method: 'post',
    path: '/imports',
    summary: 'Import a CSV file into a list; answers once the file is kept',
    raw: 'text/csv',
    query: importQuery,
    filled: ['fileName', 'dryRun'],
    status: 202,
    answer: importSchema,
    problems: ['bad-file', 'not-found'],
    example: {
      listId: 1,
      fileName: 'fair.csv',
      dryRun: true,
      file: 'address,name\nada@lanternpost.example,Ada Vey\nbo@lanternpost.example,Bo Marl\n',
    },
  }),
  fileHead: contract({
    method: 'post',
    path: '/imports/head',
    summary:
      'What is found of a CSV file from its first kilobytes: encoding, delimiter, what each column is; keeps nothing',
    raw: 'text/csv',
    query: fileHeadQuery,
    filled: ['fileName'],
    answer: fileHeadSchema,
    problems: ['bad-file'],
    example: { fileName: 'fair.csv', file: 'address;name\nada@lanternpost.example;Ada Vey\n' },
  }),
  attributes: contract({
    method: 'get',
    path: '/attributes',
    summary: 'Attributes that have a type; the others are text',
    answer: Joi.object().pattern(Joi.string(), attributeSchema),
    example: {},
  }),
  imports: contract({
    method: 'get',
    path: '/imports',
    summary: 'Imports, latest first; of all brands or of one',
    query: importsQuery,
    filled: ['limit'],
    answer: pageOf(importSchema),
    example: { brandId: 1, limit: 20 },
  }),
  import: contract({
    method: 'get',
    path: '/imports/:id',
    summary: 'How far an import is, and its outcome',
    params: idParams,
    answer: importSchema,
    problems: ['not-found'],
    example: { id: 1 },
  }),
  cancelImport: contract({
    method: 'post',
    path: '/imports/:id/cancel',
    summary: 'Stop an import; what was taken in stays and can be undone as a run',
    params: idParams,
    answer: importSchema,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1 },
  }),
  heldRows: contract({
    method: 'get',
    path: '/imports/:id/held',
    summary: 'Rows that wait for a decision, by why and by domain',
    params: idParams,
    answer: arrayOf(heldRowsSchema),
    problems: ['not-found', 'wrong-state'],
    example: { id: 1 },
  }),
  releaseHeldRows: contract({
    method: 'post',
    path: '/imports/:id/release',
    summary: 'Take held rows in after all, as they are or mended, as an import of its own',
    params: idParams,
    body: releaseRequest,
    filled: ['mend', 'dryRun'],
    status: 202,
    answer: importSchema,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1, codes: ['look-alike-domain'], mend: true },
  }),
  leaveHeldRowsOut: contract({
    method: 'post',
    path: '/imports/:id/leave-out',
    summary: 'Leave held rows out; they can be taken in later all the same',
    params: idParams,
    body: leaveOutRequest,
    answer: arrayOf(heldRowsSchema),
    problems: ['not-found', 'wrong-state'],
    example: { id: 1, codes: ['role-name'] },
  }),
  importDryRun: contract({
    method: 'post',
    path: '/imports/:id/apply',
    summary: 'Import for real what a dry run has read; once',
    params: idParams,
    status: 202,
    answer: importSchema,
    problems: ['bad-file', 'not-found', 'wrong-state'],
    example: { id: 1 },
  }),
  renames: contract({
    method: 'get',
    path: '/imports/:id/renames',
    summary: 'Whose name a dry run would replace by another',
    params: idParams,
    answer: renamesSchema,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1 },
  }),
  importResults: contract({
    method: 'get',
    path: '/imports/:id/results.csv',
    summary: 'The result file: the original columns, then row, outcome, code and words',
    answers: 'text/csv',
    params: idParams,
    query: resultsQuery,
    problems: ['not-found', 'wrong-state'],
    example: { id: 1, only: 'refused' },
  }),
};
