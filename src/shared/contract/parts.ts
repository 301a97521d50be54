import Joi from 'joi';

/** One page of a list. `next` is the cursor of the page after it; null at the end. */
export interface Page<T> {
  items: T[];
  next: string | null;
}

export const id = Joi.number().integer().min(1).max(2_147_483_647);

export const text = (most: number): Joi.StringSchema => Joi.string().trim().max(most);

/** A name is a line of its own in headers, tables and terminals. */
export const name = (most: number): Joi.StringSchema =>
  text(most)
    .pattern(/[\p{Cc}\u2028\u2029]/u, { name: 'control characters', invert: true })
    .messages({ 'string.pattern.invert.name': '{{#label}} must not hold control characters or line breaks' });

export const reason = text(500).required().description('Why; kept in the journal');

export const ids = Joi.array().items(id).max(1000);

/** Numbers of contacts and journal rows are longer than numbers of campaigns. */
export const longId = Joi.number().integer().min(1).max(Number.MAX_SAFE_INTEGER);

/** Parameters of a route of one thing. */
export interface ById {
  id: number;
}
export const idParams = Joi.object<ById, true>({ id: id.required() });

export const contactParams = Joi.object<ById, true>({ id: longId.required() });

/** The version that was looked at: a change of any other is refused. */
export const version = Joi.number()
  .integer()
  .min(0)
  .description('The version that was looked at; a change is refused when it is at another by now');

/** Parameters, or query, of a route of one brand. */
export interface OfBrand {
  brandId: number;
}
export const brandParams = Joi.object<OfBrand, true>({ brandId: id.required() });

export const page = {
  cursor: Joi.string().max(500).description('Where the page begins: `next` of the page before'),
  limit: Joi.number().integer().min(1).max(500).default(50),
};

/** An instant, RFC 3339. */
export const instant = Joi.string().isoDate();
/** A day, which begins in the zone of the brand or of the first brand, or an instant; as it was given. */
export const dayOrInstant = Joi.string().isoDate().raw();

/** Tags are written as they are read: letters of any script, digits, and few signs. */
export const newTag = text(60).pattern(/^[\p{L}\p{N}][\p{L}\p{N} ._:-]*$/u, 'letters, digits, spaces and . _ : -');

export const values = Joi.array().items(Joi.string().max(1000)).min(1).max(10_000).required();

/** Query of a list: where its page begins, and how many items it has at most. */
export interface PageQuery {
  cursor?: string;
  limit?: number;
}
export const pageQuery = Joi.object<PageQuery, true>(page);

export const brandQuery = Joi.object<OfBrand, true>({ brandId: id.required() });

/** Only whom a condition matches. */
export const where = Joi.string().max(20_000).description('A condition of the brand, as docs/conditions.md has it');

/** Any text that is answered, the empty one too. */
export const anyText = Joi.string().allow('');
/** One of some words. */
export const oneOf = (words: readonly string[]): Joi.StringSchema => Joi.string().valid(...words);
const pageFields = <T>(item: Joi.ObjectSchema<T>) => ({
  items: Joi.array().items(item).required(),
  next: Joi.string().allow(null).required(),
});
/** A page of such items. */
export const pageOf = <T>(item: Joi.ObjectSchema<T>): Joi.ObjectSchema<Page<T>> =>
  Joi.object<Page<T>>(pageFields(item));
/** A page of such items, with how many there are on all pages. */
export interface CountedPage<T> extends Page<T> {
  total: number;
}
export const countedPageOf = <T>(item: Joi.ObjectSchema<T>): Joi.ObjectSchema<CountedPage<T>> =>
  Joi.object<CountedPage<T>>({ ...pageFields(item), total: Joi.number().required() });
/** All such items, in their order. */
export const arrayOf = <T>(item: Joi.ObjectSchema<T>): Joi.ArraySchema<T[]> => Joi.array<T[]>().items(item);

/** A contact whom a condition matches. */
export interface MatchingContact {
  id: number;
  address: string;
  name: string | null;
  archived: boolean;
}
export const matchingContactFields = {
  id: Joi.number().required(),
  address: anyText.required(),
  name: anyText.allow(null).required(),
  archived: Joi.boolean().required(),
};
export const matchingContactSchema = Joi.object<MatchingContact, true>(matchingContactFields);
