import type Joi from 'joi';
import type { Contract } from '../../shared/contract/contract.ts';
import { neededScope } from './needed-scope.ts';

type Things = Readonly<Record<string, Readonly<Record<string, Contract>>>>;
interface Flags {
  only?: boolean;
  presence?: string;
  default?: unknown;
  description?: string;
}
const flagsOf = (description: Joi.Description): Flags => description.flags ?? {};
const keysOf = (description: Joi.Description | undefined): [string, Joi.Description][] =>
  Object.entries((description?.keys ?? {}) as Record<string, Joi.Description>);
const isRequired = (description: Joi.Description): boolean => flagsOf(description).presence === 'required';

/** The list of routes in docs/api.md: what each takes, an example, what it answers and how it may refuse. */
export function apiPage(things: Things): string {
  return Object.entries(things)
    .map(([thing, contracts]) =>
      [`## ${thing[0]!.toUpperCase()}${thing.slice(1)}`, ...Object.entries(contracts).map(routeText)].join('\n\n'),
    )
    .join('\n\n');
}

function routeText([name, contract]: [string, Contract]): string {
  const { method, path, summary, open } = contract;
  const who = open ? 'Anybody may call it.' : `A token needs scope \`${neededScope(contract)}\`.`;
  return [
    `### ${method.toUpperCase()} ${path}`,
    `${summary}. Call of the client: \`${name}\`. ${who}`,
    fieldsText(contract),
    `\`\`\`sh\n${curlText(contract)}\n\`\`\``,
    answerText(contract),
  ]
    .filter((part) => part !== '')
    .join('\n\n');
}

function fieldsText({ query, body, raw }: Contract): string {
  const lines = keysOf((query ?? body)?.describe()).map(([name, key]) => `- \`${name}\`: ${kindOf(key)}${noteOf(key)}`);
  if (raw !== undefined) lines.push(`- the body: ${raw}`);
  return lines.join('\n');
}

function noteOf(description: Joi.Description): string {
  const { default: standard, description: words } = flagsOf(description);
  const notes = isRequired(description) ? ['must be given'] : [];
  if (standard !== undefined && standard !== '' && standard !== null)
    notes.push(`\`${JSON.stringify(standard)}\` if left out`);
  return notes.map((note) => `; ${note}`).join('') + (words === undefined ? '' : `. ${words}`);
}

/** What a value is, in the words of JSON. */
function kindOf(description: Joi.Description): string {
  const allowed = (description.allow ?? []) as unknown[];
  const orNull = allowed.includes(null) ? ' or null' : '';
  if (flagsOf(description).only) return allowed.map((word) => `\`${JSON.stringify(word)}\``).join(', ');
  const { items, ordered, matches, rules } = description as {
    items?: Joi.Description[];
    ordered?: Joi.Description[];
    matches?: { schema: Joi.Description }[];
    rules?: { name: string }[];
  };
  const first = items?.[0] ?? ordered?.[0];
  if (description.type === 'array') return `[${first ? kindOf(first) : ''}, …]`;
  if (matches) return matches.map(({ schema }) => kindOf(schema)).join(' or ') + orNull;
  if (description.type === 'object' && description.keys) return namesOf(keysOf(description)) + orNull;
  const isInstant = (rules ?? []).some(({ name }) => name === 'isoDate');
  return (isInstant ? 'instant' : String(description.type)) + orNull;
}

const namesOf = (keys: [string, Joi.Description][]): string =>
  `{ ${keys.map(([name, key]) => (isRequired(key) ? name : `${name}?`)).join(', ')} }`;

function curlText({ method, path, raw, answers, example, body }: Contract): string {
  const { file, ...rest } = { ...example } as Record<string, unknown>;
  const filled = path.replace(/:(\w+)/g, (_, name: string) => {
    const value = String(rest[name]);
    delete rest[name];
    return value;
  });
  const inQuery = Object.entries(body === undefined ? rest : {}).map(([name, value]): [string, string] => [
    name,
    String(value),
  ]);
  const query = new URLSearchParams(inQuery).toString();
  const url = `$AVENDEL/api/v1${filled}${query === '' ? '' : `?${query}`}`;
  const parts = [`curl -X ${method.toUpperCase()} "${url}" -H "Authorization: Bearer $AVENDEL_TOKEN"`];
  if (raw !== undefined)
    parts.push(`-H 'Content-Type: ${raw.split(' or ').at(-1)}' --data-binary ${quoted(file as string)}`);
  else if (body !== undefined) parts.push(`-H 'Content-Type: application/json' -d ${quoted(JSON.stringify(rest))}`);
  if (answers !== undefined) parts.push('-o file');
  return parts.join(' \\\n  ');
}

/** A text for a shell, with its line ends as they are. */
function quoted(text: string): string {
  if (!/[\r\n]/.test(text)) return `'${text.replaceAll("'", `'\\''`)}'`;
  const escaped = text.replaceAll('\\', '\\\\').replaceAll("'", "\\'").replaceAll('\r', '\\r').replaceAll('\n', '\\n');
  return `$'${escaped}'`;
}

function answerText({ answer, answers, status = 200, problems = [] }: Contract): string {
  const what = answers ? `a file of ${answers}` : answer ? `\`${shapeOf(answer.describe())}\`` : 'nothing';
  const refusals = problems.map((code) => `[\`${code}\`](problems.md#${code})`).join(', ');
  return `Answers ${status}: ${what}.${refusals === '' ? '' : ` May refuse with ${refusals}.`}`;
}

/** The fields of an answer, and those of what it lists. */
function shapeOf(description: Joi.Description): string {
  const [item] = (description['items'] ?? []) as Joi.Description[];
  if (description.type === 'array') return item ? `[${shapeOf(item)}, …]` : '[…]';
  if (description.type !== 'object') return String(description.type);
  const keys = keysOf(description);
  const page = keys.find(([name]) => name === 'items');
  if (!page) return keys.length === 0 ? '{ … }' : namesOf(keys);
  return `{ items: ${shapeOf(page[1])}, ${keys
    .filter(([name]) => name !== 'items')
    .map(([name]) => name)
    .join(', ')} }`;
}
