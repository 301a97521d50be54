import { createHash } from 'node:crypto';
import { Hono, type Context } from 'hono';
import { getCookie } from 'hono/cookie';
import type { ContentfulStatusCode } from 'hono/utils/http-status';
import type Joi from 'joi';
import type { Logger } from 'pino';
import { findSignedIn, type SignedIn } from '../../operations/accounts/sign-in.ts';
import type { Deps } from '../../operations/deps.ts';
import { Problem } from '../../operations/problem.ts';
import { problemDocument, PROBLEMS } from '../../shared/problems.ts';
import { beginIdempotent, endIdempotent } from '../../store/statements/sessions.ts';
import { describeApi } from './openapi.ts';
import type { Route } from './route.ts';
import { accountRoutes, SESSION_COOKIE } from './routes/accounts.ts';
import { campaignRoutes } from './routes/campaigns.ts';
import { actRoutes } from './routes/acts.ts';
import { addressRoutes } from './routes/addresses.ts';
import { verificationRoutes } from './routes/verifications.ts';
import { contactRoutes } from './routes/contacts.ts';
import { importRoutes } from './routes/imports.ts';
import { actorRoutes } from './routes/actors.ts';
import { eventRoutes } from './routes/events.ts';
import { returnRoutes } from './routes/returns.ts';
import { organisationRoutes } from './routes/organisation.ts';
import { permissionRoutes } from './routes/permission.ts';
import { ruleRoutes } from './routes/rules.ts';
import { runRoutes } from './routes/runs.ts';
import { segmentRoutes } from './routes/segments.ts';
import { suppressionRoutes } from './routes/suppression.ts';

export const ROUTES: Route[] = [
  ...accountRoutes,
  ...organisationRoutes,
  ...contactRoutes,
  ...importRoutes,
  ...permissionRoutes,
  ...actRoutes,
  ...addressRoutes,
  ...verificationRoutes,
  ...campaignRoutes,
  ...eventRoutes,
  ...actorRoutes,
  ...returnRoutes,
  ...segmentRoutes,
  ...suppressionRoutes,
  ...ruleRoutes,
  ...runRoutes,
];

/** JSON bodies hold at most this much; files and events come in raw and have limits of their own. */
const MOST_JSON_BYTES = 8 * 1024 * 1024;

/** The API under /api/v1: each route is checked against its schemas, authorised, and answered; refusals are problem+json. */
export function makeApi(deps: Deps, log: Logger): Hono {
  const api = new Hono();
  api.get('/openapi.json', (c) => c.json(describeApi(ROUTES)));
  for (const declared of ROUTES) api.on(declared.method.toUpperCase(), declared.path, (c) => answer(deps, declared, c));
  api.all('*', (c) => {
    throw new Problem('not-found', `There is nothing at ${c.req.method} ${c.req.path}; see /api/v1/openapi.json.`);
  });
  api.onError((error, c) => refuse(error, c, log));
  return api;
}

async function answer(deps: Deps, declared: Route, c: Context): Promise<Response> {
  const who = declared.open ? NOBODY : await authorise(deps, declared, c);
  const params = check(declared.params, c.req.param(), 'path');
  const query = check(declared.query, c.req.query(), 'query');
  const text = declared.raw === undefined && declared.method !== 'get' ? await readText(c) : '';
  const body = declared.raw === undefined ? check(declared.body, parseBody(text), 'body') : {};
  const run = async (): Promise<unknown> => declared.handle({ deps, who, params, query, body, c } as never);
  const key = declared.method === 'post' && declared.raw === undefined ? c.req.header('idempotency-key') : undefined;
  const result = key === undefined ? await run() : await once(deps, who, key, `${c.req.path}\n${text}`, declared, run);
  if (result instanceof Response) return result;
  if (declared.status === 204) return c.body(null, 204);
  return c.json(result as object, declared.status ?? 200);
}

const NOBODY: SignedIn = { accountId: 0, name: 'nobody', email: '', csrf: null };

async function authorise(deps: Deps, declared: Route, c: Context): Promise<SignedIn> {
  const token = /^Bearer (\S{1,200})$/.exec(c.req.header('authorization') ?? '')?.[1];
  const who = await findSignedIn(deps, { token, session: getCookie(c, SESSION_COOKIE) });
  if (!who)
    throw new Problem(
      'not-signed-in',
      token
        ? 'This API token is not known, or was revoked.'
        : 'The request carries neither a session nor an API token.',
    );
  if (who.csrf !== null && declared.method !== 'get' && c.req.header('x-avendel-csrf') !== who.csrf) {
    throw new Problem('csrf', 'The header x-avendel-csrf is missing or does not belong to this session.');
  }
  return who;
}

async function readText(c: Context): Promise<string> {
  const length = Number(c.req.header('content-length') ?? 0);
  if (length > MOST_JSON_BYTES)
    throw new Problem('too-large', `The body has ${length} bytes; ${MOST_JSON_BYTES} is the most.`);
  const text = await c.req.text();
  if (text.length > MOST_JSON_BYTES) throw new Problem('too-large', `The body is over ${MOST_JSON_BYTES} bytes.`);
  return text;
}

function parseBody(text: string): unknown {
  if (text === '') return {};
  try {
    return JSON.parse(text);
  } catch {
    throw new Problem('unreadable-body', 'The body is not JSON.');
  }
}

function check(schema: Joi.Schema | undefined, value: unknown, where: string): unknown {
  if (!schema) return value;
  const { error, value: checked } = schema.validate(value, { abortEarly: false, convert: true }) as {
    error?: Joi.ValidationError;
    value: unknown;
  };
  if (!error) return checked;
  const fields = error.details.map((detail) => ({
    field: detail.path.join('.'),
    message: detail.message.replaceAll('"', ''),
  }));
  throw new Problem('invalid-input', fields.map((field) => field.message).join('; '), {
    field: fields[0]?.field,
    extra: { where, fields },
  });
}

/** The same request under the same Idempotency-Key is done once; a repeat gets the first one's answer. */
async function once(
  deps: Deps,
  who: SignedIn,
  key: string,
  request: string,
  declared: Route,
  run: () => Promise<unknown>,
): Promise<unknown> {
  const hash = createHash('sha256').update(request).digest();
  const kept = await beginIdempotent(deps.database, who.accountId, key.slice(0, 200), hash);
  if (kept) {
    if (!kept.sameRequest) throw new Problem('key-reused', 'Another request was made under this key.');
    if (kept.status === null)
      throw new Problem('key-reused', 'The first request under this key is still being worked on.');
    return kept.body;
  }
  try {
    const result = await run();
    if (!(result instanceof Response))
      await endIdempotent(deps.database, who.accountId, key.slice(0, 200), {
        status: declared.status ?? 200,
        body: result ?? null,
      });
    return result;
  } catch (error) {
    await endIdempotent(deps.database, who.accountId, key.slice(0, 200), null);
    throw error;
  }
}

/** The answer to a refusal: RFC 9457, with the status of its code. */
export function refuse(error: Error, c: Context, log: Logger): Response {
  const problem = error instanceof Problem ? error : new Problem('failed', 'The request could not be carried out.');
  if (!(error instanceof Problem)) log.error({ err: error, path: c.req.path }, 'a request failed');
  const document = problemDocument(problem.code, problem.detail, problem.field, problem.extra);
  return c.body(JSON.stringify(document), PROBLEMS[problem.code].status as ContentfulStatusCode, {
    'content-type': 'application/problem+json',
  });
}
