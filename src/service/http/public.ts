import { randomUUID } from 'node:crypto';
import { Hono, type Context, type MiddlewareHandler } from 'hono';
import { bodyLimit } from 'hono/body-limit';
import { HTTPException } from 'hono/http-exception';
import { getPath } from 'hono/utils/url';
import type { Logger } from 'pino';
import type { TokenPayload, TokenUse } from '../../core/message/token.ts';
import { listsToLeave } from '../../core/consent/leaving.ts';
import { PUBLIC_PATHS, todaysPath } from '../../core/message/public-paths.ts';
import { asLocation } from '../../core/message/links.ts';
import { siteScript } from '../../core/message/visit-link.ts';
import { OF_A_TEST, TRAP_LINK } from '../../core/message/compile-message.ts';
import { OWN_SOURCE, type IncomingEvent } from '../../operations/events/record-events.ts';
import { findDestination, findVisit } from '../../operations/events/sites.ts';
import { leavingByMessage, leavingEvent } from '../../operations/consent/leave.ts';
import { Problem } from '../../operations/problem.ts';
import type { Deps } from '../../operations/deps.ts';
import { findLink } from '../../store/statements/campaigns.ts';
import { findDelivery, type DeliveryOfToken } from '../../store/statements/returns.ts';
import { findListNames } from '../../store/statements/subscriptions.ts';
import { BrandEntity } from '../../store/entities/organisation.ts';
import type { EventRecorder } from '../tracking/event-recorder.ts';
import { makeCache } from '../tracking/cache.ts';
import type { NetworkOf } from './network-of.ts';
import { makePermissionPages } from './permission-pages.ts';
import { readForm } from './read-form.ts';
import { donePage, gonePage, testPage, MOST_FORM_BYTES, NEVER_CACHED, unsubscribePage } from './public-pages.ts';

/** The smallest GIF: one transparent pixel. */
const PIXEL = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64');
const MOST_CACHED = 50_000;

/** What the public endpoints share. */
interface Public {
  deps: Deps;
  recorder: EventRecorder;
  networkOf: NetworkOf;
  /** The brand of a message's campaign. */
  brandOfToken: (payload: TokenPayload) => Promise<number | undefined>;
}

/** What strangers reach: pixel, link redirects, the ways out. Nothing here lists or reveals contacts. */
export function makePublicApp(deps: Deps, recorder: EventRecorder, networkOf: NetworkOf, log: Logger): Hono {
  const app = new Hono({ getPath: (request) => todaysPath(getPath(request)) });
  app.use('*', pagePolicy);
  const brands = makeCache<number>(MOST_CACHED);
  const brandOfToken: Public['brandOfToken'] = (payload) =>
    brands.get(String(payload.campaignId), () => brandOf(deps, payload));
  const shared: Public = { deps, recorder, networkOf, brandOfToken };
  addTracking(app, shared);
  addVisits(app, shared);
  addWaysOut(app, shared);
  app.route('/', makePermissionPages(deps, recorder, networkOf));
  app.get('/healthz', (c) => c.text('ok'));
  app.notFound((c) => c.html(gonePage(), 404, NEVER_CACHED));
  app.onError((error, c) => {
    if (error instanceof Problem && error.code === 'too-busy')
      return c.text('Please try again in a moment.', 503, { ...NEVER_CACHED, 'retry-after': '2' });
    if (error instanceof HTTPException) return error.getResponse();
    // Without the path, which may be somebody's way out.
    log.error({ err: error, place: c.req.path.split('/', 2).join('/') }, 'a public request failed');
    return c.text('Something went wrong here. Please try again later.', 500, NEVER_CACHED);
  });
  return app;
}

/**
 * Only what is in the page runs or is shown, and no other site shows it within its own but for the form to sign up,
 * which is made for that.
 */
const pagePolicy: MiddlewareHandler = async (c, next) => {
  await next();
  const framedBy = c.req.path.startsWith(`${PUBLIC_PATHS.join}/`) ? '*' : "'none'";
  c.header(
    'content-security-policy',
    `default-src 'none'; style-src 'unsafe-inline'; form-action 'self'; base-uri 'none'; frame-ancestors ${framedBy}`,
  );
  c.header('x-content-type-options', 'nosniff');
};

/** The pixel and the links of a message. */
function addTracking(app: Hono, { deps, recorder, networkOf, brandOfToken }: Public): void {
  const links = makeCache<string>(MOST_CACHED);

  app.get(`${PUBLIC_PATHS.seen}/:name`, async (c) => {
    const payload = read(deps, c.req.param('name').replace(/\.gif$/, ''), 'open');
    const brandId = payload && (await brandOfToken(payload));
    if (payload && brandId !== undefined)
      await recorder.record(actOf(deps, networkOf, c, payload, brandId, 'opened', undefined));
    return c.body(PIXEL, 200, { ...NEVER_CACHED, 'content-type': 'image/gif' });
  });

  app.get(`${PUBLIC_PATHS.to}/:token`, async (c) => {
    const payload = read(deps, c.req.param('token'), 'click');
    if (!payload) return c.html(gonePage(), 404, NEVER_CACHED);
    const url = await links.get(`${payload.campaignId} ${payload.link}`, () =>
      findLink(deps.database, payload.campaignId, payload.link),
    );
    const brandId = await brandOfToken(payload);
    if (url === undefined || brandId === undefined) return c.html(gonePage(), 404, NEVER_CACHED);
    await recorder.record(actOf(deps, networkOf, c, payload, brandId, 'clicked', url));
    // The trap link leads nowhere: whoever follows it is no person.
    return payload.link === TRAP_LINK
      ? c.body(null, 204, NEVER_CACHED)
      : c.body(null, 302, { ...NEVER_CACHED, location: asLocation(await findDestination(deps, url, payload)) });
  });
}

/** The script for the organisation's own sites, and what it tells. */
function addVisits(app: Hono, { deps, recorder, networkOf, brandOfToken }: Public): void {
  const script = siteScript(`${deps.publicUrl}${PUBLIC_PATHS.visit}`, VISITOR_DAYS);
  app.get(`${PUBLIC_PATHS.visit}.js`, (c) =>
    c.body(script, 200, {
      'content-type': 'text/javascript; charset=utf-8',
      'cache-control': 'public, max-age=3600',
      'cross-origin-resource-policy': 'cross-origin',
      'x-content-type-options': 'nosniff',
    }),
  );

  // The script's beacon: text, so that no browser asks beforehand. It learns nothing from the answer.
  app.post(PUBLIC_PATHS.visit, bodyLimit({ maxSize: MOST_FORM_BYTES }), async (c) => {
    if (c.req.header('dnt') === '1' || c.req.header('sec-gpc') === '1') return c.body(null, 204, NEVER_CACHED);
    const event = await findVisit(deps, parseTold(await c.req.text()), {
      userAgent: (c.req.header('user-agent') ?? '').slice(0, 300),
      network: networkOf(c),
      brandOf: brandOfToken,
    });
    if (event) await recorder.record(event);
    return c.body(null, 204, NEVER_CACHED);
  });
}

/** The ways out of a message: by one click (RFC 8058), and by a page with a button. */
function addWaysOut(app: Hono, { deps, recorder }: Public): void {
  app.get(`${PUBLIC_PATHS.out}/:token`, async (c) => {
    if (isOfTest(deps, c.req.param('token'))) return c.html(testPage(), 200, NEVER_CACHED);
    const found = await findBehind(deps, c.req.param('token'));
    if (!found) return c.html(gonePage(), 404, NEVER_CACHED);
    const { brandName, lists } = await pageFacts(deps, found);
    return c.html(
      unsubscribePage(brandName, lists, `${PUBLIC_PATHS.choose}/${c.req.param('token')}`),
      200,
      NEVER_CACHED,
    );
  });

  // RFC 8058: acts at once, without cookies or redirects. The page's own form posts here too, with what was chosen.
  app.post(`${PUBLIC_PATHS.out}/:token`, bodyLimit({ maxSize: MOST_FORM_BYTES }), async (c) => {
    if (isOfTest(deps, c.req.param('token'))) return c.html(testPage(), 200, NEVER_CACHED);
    const found = await findBehind(deps, c.req.param('token'));
    if (!found) return c.html(gonePage(), 404, NEVER_CACHED);
    const form = await readForm(c);
    const { brandName, lists } = await pageFacts(deps, found);
    const oneClick = form['List-Unsubscribe'] === 'One-Click';
    const leaving = leavingByMessage(found, oneClick ? 'one click' : 'page', form['from'] === 'everything');
    await recorder.record(leavingEvent(deps, leaving));
    return oneClick
      ? c.text('You are unsubscribed.', 200, NEVER_CACHED)
      : c.html(donePage(brandName, leaving.lists === null ? [] : lists), 200, NEVER_CACHED);
  });
}

/** Days for which a site keeps who came by a link. */
const VISITOR_DAYS = 30;

function parseTold(text: string): Record<string, unknown> {
  try {
    const told: unknown = JSON.parse(text);
    return typeof told === 'object' && told !== null ? (told as Record<string, unknown>) : {};
  } catch {
    return {};
  }
}

function read(deps: Deps, token: string, use: TokenUse): TokenPayload | undefined {
  return deps.tokens.read(token, use);
}

async function brandOf(deps: Deps, payload: TokenPayload): Promise<number | undefined> {
  return (await findDelivery(deps.database, payload.campaignId, payload.contactId))?.brandId;
}

/** Whether it is the way out of a test message, which stands for nobody. */
function isOfTest(deps: Deps, token: string): boolean {
  const payload = read(deps, token, 'unsubscribe');
  return payload?.campaignId === OF_A_TEST.campaignId && payload.contactId === OF_A_TEST.contactId;
}

function findBehind(deps: Deps, token: string): Promise<DeliveryOfToken | undefined> {
  const payload = read(deps, token, 'unsubscribe');
  return payload ? findDelivery(deps.database, payload.campaignId, payload.contactId) : Promise.resolve(undefined);
}

async function pageFacts(deps: Deps, delivery: DeliveryOfToken): Promise<{ brandName: string; lists: string[] }> {
  const brand = await deps.database.getRepository(BrandEntity).findOneBy({ id: delivery.brandId });
  return {
    brandName: brand?.name ?? 'this sender',
    lists: await findListNames(deps.database, listsToLeave(delivery) ?? []),
  };
}

function actOf(
  deps: Deps,
  networkOf: NetworkOf,
  c: Context,
  payload: TokenPayload,
  brandId: number,
  kind: 'opened' | 'clicked',
  url: string | undefined,
): IncomingEvent {
  const detail = {
    userAgent: (c.req.header('user-agent') ?? '').slice(0, 300),
    network: networkOf(c) ?? undefined,
    method: c.req.method,
    ...(kind === 'clicked' ? { link: payload.link, url } : {}),
  };
  return {
    kind,
    at: deps.now().getTime(),
    source: OWN_SOURCE,
    externalId: `${kind}:${randomUUID()}`,
    contactId: payload.contactId,
    brandId,
    campaignId: payload.campaignId,
    detail,
  };
}
