import { isStorable } from './storable.ts';
import { BOUNCE_CLASSES, EVENT_KINDS } from '../../shared/words.ts';

const KINDS: ReadonlySet<unknown> = new Set(EVENT_KINDS);
const CLASSES: ReadonlySet<unknown> = new Set(BOUNCE_CLASSES);
const INSTANT = /^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}:\d{2}(\.\d{1,6})?(Z|[+-]\d{2}:\d{2})$/;
/** Without blanks at either end, which the schema would take off. */
const TEXT = /^\S(?:.*\S)?$/;

const text =
  (most: number) =>
  (value: unknown): boolean =>
    typeof value === 'string' && value.length <= most && TEXT.test(value) && isStorable(value);
const number = (value: unknown): boolean =>
  Number.isInteger(value) && (value as number) >= 1 && (value as number) <= 2_147_483_647;
const instant = (value: unknown): boolean =>
  typeof value === 'string' && INSTANT.test(value) && !Number.isNaN(Date.parse(value));

const FIELDS: Readonly<Record<string, (value: unknown) => boolean>> = {
  kind: (value) => KINDS.has(value),
  at: instant,
  source: text(100),
  externalId: text(300),
  address: text(320),
  brandId: number,
  campaignId: number,
  class: (value) => CLASSES.has(value),
  status: text(20),
  reply: text(2000),
  url: text(2000),
  userAgent: text(500),
  way: text(100),
  what: text(500),
};
const REQUIRED = ['kind', 'at', 'source', 'externalId', 'address'];

/**
 * Whether a value is an event beyond doubt, such as nearly all are: then the schema, which takes a quarter of the time
 * of recording it, need not be asked. Everything else is for the schema to judge and to explain.
 */
export function isPlainEvent(value: unknown): boolean {
  if (typeof value !== 'object' || value === null || Array.isArray(value)) return false;
  const event = value as Record<string, unknown>;
  return (
    REQUIRED.every((name) => event[name] !== undefined) &&
    Object.keys(event).every((name) => Object.hasOwn(FIELDS, name) && FIELDS[name]!(event[name]))
  );
}
