import type Joi from 'joi';
import type { Route } from './route.ts';

type Json = Record<string, unknown>;

/** The API as OpenAPI 3.1, made from the routes that are served and the Joi schemas that check them. */
export function describeApi(routes: Route[]): Json {
  const paths: Record<string, Json> = {};
  for (const declared of routes) {
    const path = declared.path.replace(/:(\w+)/g, '{$1}');
    (paths[path] ??= {})[declared.method] = describeRoute(declared);
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
      schemas: { Problem: PROBLEM },
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

function describeRoute(declared: Route): Json {
  const refusal = {
    description: 'Refused',
    content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
  };
  const status = String(declared.status ?? 200);
  const content = declared.status === 204 ? {} : { content: { [declared.answers ?? 'application/json']: {} } };
  const inputs = [...parametersOf(declared.params, 'path'), ...parametersOf(declared.query, 'query')];
  return {
    summary: declared.summary,
    operationId: `${declared.method} ${declared.path}`.replace(/[^a-z]+/gi, '-').replace(/-$/, ''),
    ...(declared.open ? { security: [] } : {}),
    ...(inputs.length > 0 ? { parameters: inputs } : {}),
    ...bodyOf(declared),
    responses: { [status]: { description: 'Done', ...content }, default: refusal },
  };
}

function bodyOf(declared: Route): Json {
  if (declared.raw !== undefined) {
    const types = declared.raw.split(' or ');
    return { requestBody: { required: true, content: Object.fromEntries(types.map((type) => [type, {}])) } };
  }
  return declared.body
    ? {
        requestBody: {
          required: true,
          content: { 'application/json': { schema: jsonSchema(declared.body.describe()) } },
        },
      }
    : {};
}

function parametersOf(schema: Joi.ObjectSchema | undefined, where: 'path' | 'query'): Json[] {
  const keys = (schema?.describe().keys ?? {}) as Record<string, Joi.Description>;
  return Object.entries(keys).map(([name, key]) => ({
    name,
    in: where,
    required: where === 'path' || isRequired(key),
    schema: jsonSchema(key),
  }));
}

function isRequired(description: Joi.Description): boolean {
  return (description.flags as { presence?: string } | undefined)?.presence === 'required';
}

/** A Joi description as JSON Schema (2020-12): the parts that the schemas of this API use. */
function jsonSchema(description: Joi.Description): Json {
  const flags = (description.flags ?? {}) as { default?: unknown; description?: string; only?: boolean };
  const base: Json = { ...typeOf(description) };
  if (flags.description) base['description'] = flags.description;
  if (flags.default !== undefined) base['default'] = flags.default;
  const allowed = (description.allow ?? []) as unknown[];
  if (flags.only) base['enum'] = allowed;
  else if (allowed.includes(null)) base['type'] = [base['type'], 'null'];
  for (const rule of (description.rules ?? []) as { name: string; args?: Record<string, unknown> }[])
    Object.assign(base, ruleOf(rule, String(description.type)));
  return base;
}

function typeOf(description: Joi.Description): Json {
  switch (description.type) {
    case 'object': {
      const keys = Object.entries((description.keys ?? {}) as Record<string, Joi.Description>);
      const required = keys.filter(([, key]) => isRequired(key)).map(([name]) => name);
      return {
        type: 'object',
        properties: Object.fromEntries(keys.map(([name, key]) => [name, jsonSchema(key)])),
        ...(required.length > 0 ? { required } : {}),
        additionalProperties: false,
      };
    }
    case 'array': {
      const { ordered, items } = description as { ordered?: Joi.Description[]; items?: Joi.Description[] };
      return {
        type: 'array',
        ...(ordered ? { prefixItems: ordered.map(jsonSchema) } : {}),
        ...(items?.[0] ? { items: jsonSchema(items[0]) } : {}),
      };
    }
    case 'date':
      return { type: 'string', format: 'date-time' };
    default:
      return { type: description.type };
  }
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
