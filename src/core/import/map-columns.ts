import { ATTRIBUTE_TYPES, type AttributeKind } from '../../shared/words.ts';

/** What a column of a file is: one of Avendel's own, an attribute by its name, or left out. */
export type ColumnUse = string | null;

/** What a column can be besides an attribute. */
export const OWN_USES: ReadonlySet<string> = new Set([
  'address',
  'name',
  'list',
  'joined_at',
  'tags',
  'consent_source',
  'consent_evidence',
  'unsubscribed',
  'opted_out',
]);

const KNOWN_HEADERS: readonly { use: string; pattern: RegExp }[] = [
  { use: 'address', pattern: /^(e-?mail([ _-]?address)?|address|mail|contact email)$/i },
  { use: 'name', pattern: /^(full[ _-]?)?name$/i },
  { use: 'list', pattern: /^list([ _-]?name)?$/i },
  { use: 'tags', pattern: /^tags?$/i },
  { use: 'consent_source', pattern: /^consent[ _-]?(source|from|by)$/i },
  { use: 'consent_evidence', pattern: /^consent([ _-]?(evidence|text|given))?$/i },
  { use: 'unsubscribed', pattern: /^unsubscribed?([ _-]?(at|on|date))?$/i },
  {
    use: 'opted_out',
    pattern:
      /^(opt(ed)?[ _-]?out|do[ _-]?not[ _-]?(mail|email|contact|write)|no[ _-]?marketing)([ _-]?(at|on|date))?$/i,
  },
  {
    use: 'joined_at',
    pattern: /^(joined([ _-]?(at|on))?|subscribed([ _-]?(at|on))?|signed[ _-]?up([ _-]?(at|on))?|since)$/i,
  },
];

/** Guesses what each column is from its header; an unknown one becomes an attribute of its own name. */
export function guessMapping(headers: string[]): Record<string, ColumnUse> {
  const mapping: Record<string, ColumnUse> = {};
  const taken = new Set<string>();
  for (const header of headers) {
    const known = KNOWN_HEADERS.find(({ use, pattern }) => pattern.test(header.trim()) && !taken.has(use));
    if (known) taken.add(known.use);
    mapping[header] = known?.use ?? attributeName(header);
  }
  return mapping;
}

/** The name under which a column is kept as an attribute, usable as a merge field; null for one without a name. */
export function attributeName(header: string): string | null {
  const name = header
    .trim()
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '_')
    .replace(/^[_0-9]+|_+$/g, '')
    .slice(0, 64);
  return name === '' ? null : name;
}

/** What an attribute holds; a choice has its words. */
export interface AttributeType {
  type: AttributeKind;
  choices?: string[];
}

const MOST_CHOICES = 100;
/** `visits:number`, `tier:choice(friend|patron)` */
const TYPED_USE = /^([^:]*):\s*([a-z-]+)\s*(?:\((.*)\))?\s*$/i;

/**
 * Takes a column's use apart: `tier:choice(friend|patron)` is the attribute `tier` and its type. Without a colon it is
 * a name alone. A string is what is wrong with it.
 */
export function parseColumnUse(text: string): { use: string; type?: AttributeType } | string {
  if (!text.includes(':')) return OWN_USES.has(text) ? { use: text } : named(text);
  const [, name = '', type = '', list] = TYPED_USE.exec(text) ?? [];
  const kind = ATTRIBUTE_TYPES.find((one) => one === type.toLowerCase());
  if (!kind) return `“${text}” has no type that there is: ${ATTRIBUTE_TYPES.join(', ')}`;
  const use = named(name);
  if (typeof use === 'string') return use;
  if (OWN_USES.has(use.use)) return `${use.use} is a field of every contact and has its own type`;
  if (list !== undefined && kind !== 'choice') return `only a choice has words in brackets, not a ${kind}`;
  if (kind !== 'choice') return { ...use, type: { type: kind } };
  const choices = [
    ...new Set(
      (list ?? '')
        .split('|')
        .map((one) => one.trim())
        .filter((one) => one !== ''),
    ),
  ];
  if (choices.length > MOST_CHOICES) return `a choice has at most ${MOST_CHOICES} words`;
  return { ...use, type: { type: 'choice', choices } };
}

function named(name: string): { use: string } | string {
  const use = attributeName(name);
  return use === null ? `“${name}” cannot be an attribute's name: it needs a letter` : { use };
}
