import type Joi from 'joi';
import { COMMON_PROBLEMS, type Contract } from '../../shared/contract/contract.ts';

type Json = Record<string, unknown>;

/** The API as OpenAPI 3.1, made from its contracts and the Joi schemas in them. */
export function describeApi(routes: readonly Contract[]): Json {
  const paths: Record<string, Json> = {};
  const schemas: Json = { Problem: PROBLEM };
  for (const declared of routes) {
    const path = declared.path.replace(/:(\w+)/g, '{$1}');
    (paths[path] ??= {})[declared.method] = describeRoute(declared, schemas);
  }
  return {
    openapi: '3.1.0',
    info: {
      title: 'Avendel',
      version: '1',
      description: 'What the console and the command line speak with the service.',
    },
    servers: [{ url: '/api/v1' }],
    security: [{ token: [] }, { session: [] }],
    paths,
    components: {
      securitySchemes: {
        token: { type: 'http', scheme: 'bearer' },
        session: { type: 'apiKey', in: 'cookie', name: 'avendel_session' },
      },
      schemas,
    },
  };
}

const PROBLEM: Json = {
  type: 'object',
  description: 'RFC 9457',
  required: ['type', 'title', 'status', 'detail', 'next'],
  properties: {
    type: { type: 'string' },
    title: { type: 'string' },
    status: { type: 'integer' },
    detail: { type: 'string' },
    next: { type: 'string', description: 'What to do' },
    field: { type: 'string' },
  },
};

function describeRoute(declared: Contract, schemas: Json): Json {
  const refusal = {
    description: `Refused: ${[...(declared.problems ?? []), ...COMMON_PROBLEMS].join(', ')}`,
    content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
  };
  const status = String(declared.status ?? 200);
  const inputs = [
    ...parametersOf(declared.params, 'path', schemas, declared.example),
    ...parametersOf(declared.query, 'query', schemas, declared.example),
  ];
  return {
    summary: declared.summary,
    operationId: `${declared.method} ${declared.path}`.replace(/[^a-z]+/gi, '-').replace(/-$/, ''),
    ...(declared.open ? { security: [] } : {}),
    ...(inputs.length > 0 ? { parameters: inputs } : {}),
    ...bodyOf(declared, schemas),
    responses: { [status]: { description: 'Done', ...answerOf(declared, schemas) }, default: refusal },
  };
}

function answerOf({ answer, answers }: Contract, schemas: Json): Json {
  if (answer) return { content: { 'application/json': { schema: jsonSchema(answer.describe(), schemas) } } };
  return answers === undefined ? {} : { content: { [answers]: {} } };
}

function bodyOf(declared: Contract, schemas: Json): Json {
  if (declared.raw !== undefined) {
    const types = declared.raw.split(' or ');
    return { requestBody: { required: true, content: Object.fromEntries(types.map((type) => [type, {}])) } };
  }
  if (!declared.body) return {};
  const schema = jsonSchema(declared.body.describe(), schemas);
  const mine = Object.entries(declared.example).filter(([name]) => name in keysOf(declared.body));
  const example = mine.length > 0 ? { example: Object.fromEntries(mine) } : {};
  return { requestBody: { required: true, content: { 'application/json': { schema, ...example } } } };
}

function parametersOf(
  schema: Joi.ObjectSchema | undefined,
  where: 'path' | 'query',
  schemas: Json,
  example: object,
): Json[] {
  return Object.entries(keysOf(schema)).map(([name, key]) => ({
    name,
    in: where,
    required: where === 'path' || isRequired(key),
    schema: jsonSchema(key, schemas),
    ...(name in example ? { example: (example as Json)[name] } : {}),
  }));
}

const keysOf = (schema: Joi.ObjectSchema | undefined): Record<string, Joi.Description> =>
  (schema?.describe().keys ?? {}) as Record<string, Joi.Description>;

function isRequired(description: Joi.Description): boolean {
  return (description.flags as { presence?: string } | undefined)?.presence === 'required';
}

/** A Joi description as JSON Schema (2020-12): the parts that the schemas of this API use. One with an id is named. */
function jsonSchema(description: Joi.Description, schemas: Json): Json {
  const flags = (description.flags ?? {}) as {
    default?: unknown;
    description?: string;
    only?: boolean;
    id?: string;
  };
  const base: Json = { ...typeOf(description, schemas) };
  if (flags.description) base['description'] = flags.description;
  if (flags.default !== undefined) base['default'] = flags.default;
  const allowed = (description.allow ?? []) as unknown[];
  if (flags.only) base['enum'] = allowed;
  if (allowed.includes(null)) orNull(base);
  for (const rule of (description.rules ?? []) as { name: string; args?: Record<string, unknown> }[])
    Object.assign(base, ruleOf(rule, String(description.type)));
  if (flags.id === undefined) return base;
  schemas[flags.id] = base;
  return { $ref: `#/components/schemas/${flags.id}` };
}

function orNull(base: Json): void {
  if (Array.isArray(base['oneOf'])) base['oneOf'] = [...(base['oneOf'] as Json[]), { type: 'null' }];
  else base['type'] = [base['type'], 'null'];
}

function typeOf(description: Joi.Description, schemas: Json): Json {
  switch (description.type) {
    case 'object':
      return objectOf(description, schemas);
    case 'array': {
      const { ordered, items } = description as { ordered?: Joi.Description[]; items?: Joi.Description[] };
      return {
        type: 'array',
        ...(ordered ? { prefixItems: ordered.map((one) => jsonSchema(one, schemas)) } : {}),
        ...(items?.[0] ? { items: jsonSchema(items[0], schemas) } : {}),
      };
    }
    case 'alternatives': {
      const matches = description['matches'] as { schema: Joi.Description }[];
      return { oneOf: matches.map(({ schema }) => jsonSchema(schema, schemas)) };
    }
    case 'link': {
      const { path } = (description['link'] as { ref: { path: string[] } }).ref;
      return { $ref: `#/components/schemas/${path[0]!}` };
    }
    case 'any':
      return {};
    default:
      return { type: description.type };
  }
}

/** An object with its keys and no others, or one of any keys whose values are alike. */
function objectOf(description: Joi.Description, schemas: Json): Json {
  const keys = Object.entries((description.keys ?? {}) as Record<string, Joi.Description>);
  const required = keys.filter(([, key]) => isRequired(key)).map(([name]) => name);
  const [pattern] = (description['patterns'] ?? []) as { rule: Joi.Description }[];
  const isOpen = keys.length === 0 || (description.flags as { unknown?: boolean } | undefined)?.unknown === true;
  return {
    type: 'object',
    ...(keys.length > 0
      ? { properties: Object.fromEntries(keys.map(([name, key]) => [name, jsonSchema(key, schemas)])) }
      : {}),
    ...(required.length > 0 ? { required } : {}),
    additionalProperties: pattern ? jsonSchema(pattern.rule, schemas) : isOpen,
  };
}

function ruleOf({ name, args }: { name: string; args?: Record<string, unknown> }, type: string): Json {
  const limit = args?.['limit'];
  const suffix = type === 'string' ? 'Length' : type === 'array' ? 'Items' : 'imum';
  switch (name) {
    case 'min':
      return { [type === 'number' ? 'minimum' : `min${suffix}`]: limit };
    case 'max':
      return { [type === 'number' ? 'maximum' : `max${suffix}`]: limit };
    case 'integer':
      return { type: 'integer' };
    case 'isoDate':
      return { format: 'date-time' };
    case 'email':
      return { format: 'email' };
    case 'unique':
      return { uniqueItems: true };
    default:
      return {};
  }
}
