import { Hono, type Context } from 'hono';
import { getCookie } from 'hono/cookie';
import type { ContentfulStatusCode } from 'hono/utils/http-status';
import type Joi from 'joi';
import type { Logger } from 'pino';
import { isEnough, TOKEN_SCOPE_WORDS } from '../../shared/access.ts';
import { findSignedIn, type SignedIn } from '../../operations/accounts/sign-in.ts';
import type { Deps } from '../../operations/deps.ts';
import type { Relays } from '../../operations/relay/relay.ts';
import { Problem } from '../../operations/problem.ts';
import { problemDocument, PROBLEMS } from '../../shared/problems.ts';
import { actingFor } from '../../store/acting-account.ts';
import { findUnstorable, UNSTORABLE_WORDS } from './storable.ts';
import type { ProcessId } from '../process-identity.ts';
import { doOnce, idempotencyKeyOf } from './idempotency.ts';
import { checkAnswer, checkRefusal } from './check-answer.ts';
import { describeApi } from './openapi.ts';
import type { Route } from './route.ts';
import { neededScope } from './needed-scope.ts';
import { readBody } from './upload.ts';
import { accountsRoutes } from './routes/accounts.ts';
import type { NetworkOf } from './network-of.ts';
import { refuseForeign, type Doors } from './doors.ts';
import { sessionCookie } from './session-cookie.ts';
import { campaignsRoutes } from './routes/campaigns.ts';
import { dkimRoutes } from './routes/dkim.ts';
import { messagesRoutes } from './routes/messages.ts';
import { sendingRoutes } from './routes/sending.ts';
import { reportsRoutes } from './routes/reports.ts';
import { actsRoutes } from './routes/acts.ts';
import { addressesRoutes } from './routes/addresses.ts';
import { talliesRoutes } from './routes/tallies.ts';
import { pacingRoutes } from './routes/pace.ts';
import { capsRoutes } from './routes/caps.ts';
import { scheduleRoutes } from './routes/schedule.ts';
import { exclusionsRoutes } from './routes/exclusions.ts';
import { verificationsRoutes } from './routes/verifications.ts';
import { contactsRoutes } from './routes/contacts.ts';
import { importsRoutes } from './routes/imports.ts';
import { actorsRoutes } from './routes/actors.ts';
import { eventsRoutes } from './routes/events.ts';
import { returnsRoutes } from './routes/returns.ts';
import { mailboxesRoutes } from './routes/mailboxes.ts';
import { stormsRoutes } from './routes/storms.ts';
import { organisationRoutes } from './routes/organisation.ts';
import { permissionRoutes } from './routes/permission.ts';
import { relayRoutes } from './routes/relay.ts';
import { rulesRoutes } from './routes/rules.ts';
import { runsRoutes } from './routes/runs.ts';
import { segmentsRoutes } from './routes/segments.ts';
import { conditionsRoutes } from './routes/conditions.ts';
import { costRoutes } from './routes/cost.ts';
import { reconciliationsRoutes } from './routes/reconciliations.ts';
import { suppressionRoutes } from './routes/suppression.ts';

export const ROUTES: Route[] = [
  ...accountsRoutes,
  ...organisationRoutes,
  ...contactsRoutes,
  ...importsRoutes,
  ...permissionRoutes,
  ...actsRoutes,
  ...reconciliationsRoutes,
  ...costRoutes,
  ...addressesRoutes,
  ...talliesRoutes,
  ...capsRoutes,
  ...exclusionsRoutes,
  ...scheduleRoutes,
  ...pacingRoutes,
  ...verificationsRoutes,
  ...campaignsRoutes,
  ...dkimRoutes,
  ...messagesRoutes,
  ...sendingRoutes,
  ...reportsRoutes,
  ...eventsRoutes,
  ...actorsRoutes,
  ...returnsRoutes,
  ...mailboxesRoutes,
  ...stormsRoutes,
  ...conditionsRoutes,
  ...segmentsRoutes,
  ...suppressionRoutes,
  ...relayRoutes,
  ...rulesRoutes,
  ...runsRoutes,
];

/** JSON bodies hold at most this much; files and events come in raw and have limits of their own. */
const MOST_JSON_BYTES = 8 * 1024 * 1024;

/** What the API needs besides the operations. */
export interface ApiOptions {
  deps: Deps;
  relays: Relays;
  processId: ProcessId;
  networkOf: NetworkOf;
  doors: Doors;
  log: Logger;
  /** Each answer is held against its contract. */
  checksAnswers: boolean;
}

/**
 * The API under /api/v1: each route is checked against its schemas, authorised, and answered; refusals are
 * problem+json.
 */
export function makeApi(options: ApiOptions): Hono {
  const api = new Hono();
  // What is answered is for whoever asks, now: no cache keeps it, and no browser takes it for anything else.
  api.use('*', async (c, next) => {
    await next();
    c.header('cache-control', 'no-store');
    c.header('x-content-type-options', 'nosniff');
    c.header('content-security-policy', "default-src 'none'; frame-ancestors 'none'");
  });
  api.get('/openapi.json', (c) => c.json(describeApi(ROUTES)));
  for (const declared of ROUTES)
    api.on(declared.method.toUpperCase(), declared.path, (c) => answerAsSaid(options, declared, c));
  api.all('*', (c) => {
    throw new Problem('not-found', `There is nothing at ${c.req.method} ${c.req.path}; see /api/v1/openapi.json.`);
  });
  api.onError((error, c) => refuse(error, c, options.log));
  return api;
}

/** Answers, or refuses, as the contract says; for development and tests it is looked at whether that holds. */
async function answerAsSaid(of: ApiOptions, declared: Route, c: Context): Promise<Response> {
  try {
    return await answer(of, declared, c);
  } catch (error) {
    if (of.checksAnswers) checkRefusal(declared, error);
    throw error;
  }
}

async function answer(of: ApiOptions, declared: Route, c: Context): Promise<Response> {
  const { networkOf, log } = of;
  const cookie = sessionCookie(of.doors);
  if (declared.method !== 'get') refuseForeign(c, of.doors);
  const who = declared.open ? NOBODY : await authorise(of, declared, c);
  const params = check(declared.params, c.req.param(), 'path');
  const query = check(declared.query, c.req.query(), 'query');
  const text =
    declared.raw === undefined && declared.method !== 'get'
      ? (await readBody(c, MOST_JSON_BYTES)).toString('utf8')
      : '';
  const body = declared.raw === undefined ? check(declared.body, parseBody(text, c), 'body') : {};
  const network = networkOf(c);
  const deps = depsFor(of.deps, who);
  const run = async (): Promise<unknown> =>
    declared.handle({ deps, relays: of.relays, who, params, query, body, c, network, log, cookie });
  const key = idempotencyKeyOf(declared, c);
  const result = key === undefined ? await run() : await doOnce(of, who, key, { text, declared, c }, run);
  if (result instanceof Response) return result;
  if (of.checksAnswers) checkAnswer(declared, result);
  if (declared.status === 204) return c.body(null, 204);
  return c.json(result as object, declared.status ?? 200);
}

/** What a route does is done for the account that asks, if one does. */
function depsFor(deps: Deps, { accountId }: SignedIn): Deps {
  return accountId === 0 ? deps : { ...deps, database: actingFor(deps.database, accountId) };
}

const NOBODY: SignedIn = { accountId: 0, name: 'nobody', email: '', csrf: null, scope: 'read' };

async function authorise({ deps, doors }: ApiOptions, declared: Route, c: Context): Promise<SignedIn> {
  const token = /^Bearer (\S{1,200})$/.exec(c.req.header('authorization') ?? '')?.[1];
  const who = await findSignedIn(deps, { token, session: getCookie(c, sessionCookie(doors).name) });
  if (!who)
    throw new Problem(
      'not-signed-in',
      token
        ? 'This API token is not known, was revoked, or has ended.'
        : 'The request carries neither a session nor an API token.',
    );
  if (who.csrf !== null && declared.method !== 'get' && c.req.header('x-avendel-csrf') !== who.csrf) {
    throw new Problem('csrf', 'The header x-avendel-csrf is missing or does not belong to this session.');
  }
  const needed = neededScope(declared);
  if (!isEnough(who.scope, needed))
    throw new Problem(
      'not-allowed',
      `This API token may ${TOKEN_SCOPE_WORDS[who.scope]}; this needs one of scope “${needed}”.`,
    );
  return who;
}

function parseBody(text: string, c: Context): unknown {
  if (text === '') return {};
  // A form of another site can send text, but nothing that calls itself JSON without asking first.
  if (!/^application\/(?:[\w.-]+\+)?json\b/i.test(c.req.header('content-type') ?? ''))
    throw new Problem(
      'unreadable-body',
      'The body is not said to be JSON: its Content-Type has to be application/json.',
    );
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
  if (!error) {
    const unstorable = findUnstorable(checked);
    if (unstorable === undefined) return checked;
    throw new Problem('invalid-input', `${unstorable || 'The text'} ${UNSTORABLE_WORDS}`, {
      field: unstorable,
      extra: { where },
    });
  }
  const fields = error.details.map((detail) => ({
    field: detail.path.join('.'),
    message: detail.message.replaceAll('"', ''),
  }));
  throw new Problem('invalid-input', fields.map((field) => field.message).join('; '), {
    field: fields[0]?.field,
    extra: { where, fields },
  });
}

/** The answer to a refusal: RFC 9457, with the status of its code. */
export function refuse(error: Error, c: Context, log: Logger): Response {
  const problem = error instanceof Problem ? error : new Problem('failed', 'The request could not be carried out.');
  if (!(error instanceof Problem)) log.error({ err: error, path: c.req.path }, 'a request failed');
  const document = problemDocument(problem.code, problem.detail, problem.field, problem.extra);
  return c.body(JSON.stringify(document), PROBLEMS[problem.code].status as ContentfulStatusCode, {
    'content-type': 'application/problem+json',
    ...(typeof problem.extra?.['retryAfter'] === 'number' && { 'retry-after': String(problem.extra['retryAfter']) }),
  });
}
