import type { AttributeType } from './map-columns.ts';

const NUMBER = /^[+-]?\d{1,15}(?:\.\d{1,15})?$/;
const WORDS_FOR_YES: ReadonlySet<string> = new Set(['yes', 'y', 'true', 'on', '1']);
const WORDS_FOR_NO: ReadonlySet<string> = new Set(['no', 'n', 'false', 'off', '0']);

export type AttributeValue = string | number | boolean;

/**
 * Reads a trimmed, non-empty cell as an attribute of a type: a number with a decimal point, a date as `YYYY-MM-DD` or
 * an RFC 3339 instant, yes or no in English or as 1 and 0, one of the words of a choice (its own spelling is kept).
 * Undefined when it is none: `1,5` is not guessed at, it is 1.5 in one country and fifteen in another.
 */
export function readAttributeValue(text: string, { type, choices }: AttributeType): AttributeValue | undefined {
  switch (type) {
    case 'text':
      return text;
    case 'number':
      return NUMBER.test(text) ? Number(text) : undefined;
    case 'date':
      return readDay(text);
    case 'yes-no':
      return WORDS_FOR_YES.has(text.toLowerCase()) ? true : WORDS_FOR_NO.has(text.toLowerCase()) ? false : undefined;
    case 'choice':
      return choices?.find((one) => one.toLowerCase() === text.toLowerCase());
  }
}

/** An attribute as it stands in a message or a file. */
export function attributeText(value: unknown): string {
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  return typeof value === 'string' ? value : JSON.stringify(value);
}

const DATE = /^\d{4}-\d{2}-\d{2}$/;
const DATE_TIME = /^\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}(?::\d{2}(?:\.\d+)?)?(?:Z|[+-]\d{2}:?\d{2})?$/i;

/** A day as it is; an instant in UTC. Undefined for a day that does not exist, such as the 30th of February. */
function readDay(text: string): string | undefined {
  if (DATE.test(text)) {
    const day = new Date(`${text}T00:00:00Z`);
    return !Number.isNaN(day.getTime()) && day.toISOString().startsWith(text) ? text : undefined;
  }
  return readInstant(text);
}

/** An RFC 3339 date-time (UTC where it names no offset) in UTC; undefined when it is none. */
export function readInstant(text: string): string | undefined {
  if (!DATE.test(text) && !DATE_TIME.test(text)) return undefined;
  const plain = text.replace(' ', 'T');
  const instant = new Date(DATE.test(text) || /Z$|[+-]\d{2}:?\d{2}$/i.test(plain) ? plain : `${plain}Z`);
  return Number.isNaN(instant.getTime()) ? undefined : instant.toISOString();
}
