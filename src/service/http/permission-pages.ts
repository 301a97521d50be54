import { Hono, type Context } from 'hono';
import { bodyLimit } from 'hono/body-limit';
import { PUBLIC_PATHS } from '../../core/message/public-paths.ts';
import { oneLine } from '../../core/message/merge-fields.ts';
import type { Deps } from '../../operations/deps.ts';
import { confirm, findConfirmation } from '../../operations/consent/confirm.ts';
import { leavingByMessage, leavingEvent } from '../../operations/consent/leave.ts';
import { choosePreferences, findPreferences, type Preferences } from '../../operations/consent/preferences.ts';
import { findSlip } from '../../operations/consent/find-slip.ts';
import { signUp } from '../../operations/consent/sign-up.ts';
import { Problem } from '../../operations/problem.ts';
import { BrandEntity, ListEntity, type List } from '../../store/entities/organisation.ts';
import { findDelivery, type DeliveryOfToken } from '../../store/statements/returns.ts';
import type { NetworkOf } from './network-of.ts';
import { readForm, readFormOfMany } from './read-form.ts';
import type { EventRecorder } from '../tracking/event-recorder.ts';
import {
  confirmationOverPage,
  confirmedPage,
  confirmPage,
  donePage,
  gonePage,
  MOST_FORM_BYTES,
  NEVER_CACHED,
  preferencesPage,
  signedUpPage,
  signUpPage,
  slipPage,
} from './public-pages.ts';

/**
 * Pages for coming in and for choosing: sign-up form, confirmation, preferences. A GET changes nothing on any of them.
 */
export function makePermissionPages(deps: Deps, recorder: EventRecorder, networkOf: NetworkOf): Hono {
  const app = new Hono();
  addSignUp(app, deps, networkOf);
  addConfirmation(app, deps, networkOf);
  addPreferences(app, deps, recorder, networkOf);
  return app;
}

const limited = bodyLimit({ maxSize: MOST_FORM_BYTES });

function addSignUp(app: Hono, deps: Deps, networkOf: NetworkOf): void {
  app.get(`${PUBLIC_PATHS.join}/:token`, async (c) => {
    const list = await findListBehind(deps, c.req.param('token'));
    return list ? c.html(signUpPage(await brandName(deps, list.brandId), list), 200, NEVER_CACHED) : gone(c);
  });

  app.post(`${PUBLIC_PATHS.join}/:token`, limited, async (c) => {
    const list = await findListBehind(deps, c.req.param('token'));
    if (!list) return gone(c);
    const form = await readForm(c);
    // A field that no person sees: whoever fills it is a machine, and is told what everybody is told.
    if (textOf(form['website']) !== '') return c.html(signedUpPage(list.name), 200, NEVER_CACHED);
    const [address, name] = [textOf(form['address']), textOf(form['name'])];
    const meant = form['sure'] === undefined ? await findSlip(deps, address) : undefined;
    if (meant !== undefined) return c.html(slipPage(list.name, { address, name, meant }), 200, NEVER_CACHED);
    try {
      await signUp(deps, {
        listId: list.id,
        address,
        name: name || null,
        way: 'form',
        network: networkOf(c),
        userAgent: userAgentOf(c),
        agreed: list.agreement,
      });
    } catch (error) {
      if (!(error instanceof Problem)) throw error;
      const status = error.code === 'too-many-tries' ? 429 : 422;
      return c.html(signUpPage(await brandName(deps, list.brandId), list, error.detail), status, NEVER_CACHED);
    }
    return c.html(signedUpPage(list.name), 200, NEVER_CACHED);
  });
}

function addConfirmation(app: Hono, deps: Deps, networkOf: NetworkOf): void {
  app.get(`${PUBLIC_PATHS.confirm}/:token`, async (c) => {
    const one = await findConfirmation(deps, c.req.param('token'));
    if (!one) return gone(c);
    if (one.state === 'confirmed') return c.html(confirmedPage(one.listName), 200, NEVER_CACHED);
    if (one.state !== 'pending') return c.html(confirmationOverPage(one.listName), 410, NEVER_CACHED);
    return c.html(confirmPage(await brandName(deps, one.brandId), one.listName), 200, NEVER_CACHED);
  });

  app.post(`${PUBLIC_PATHS.confirm}/:token`, limited, async (c) => {
    const one = await findConfirmation(deps, c.req.param('token'));
    if (!one) return gone(c);
    const done = one.state === 'confirmed' || (one.state === 'pending' && (await confirm(deps, one, networkOf(c))));
    return done
      ? c.html(confirmedPage(one.listName), 200, NEVER_CACHED)
      : c.html(confirmationOverPage(one.listName), 410, NEVER_CACHED);
  });
}

function addPreferences(app: Hono, deps: Deps, recorder: EventRecorder, networkOf: NetworkOf): void {
  app.get(`${PUBLIC_PATHS.choose}/:token`, async (c) => {
    const found = await findMessageBehind(deps, c.req.param('token'));
    if (!found) return gone(c);
    const { lists } = await findPreferences(deps, found.contactId, found.brandId);
    return c.html(preferencesPage(await brandName(deps, found.brandId), choicesOf(lists)), 200, NEVER_CACHED);
  });

  app.post(`${PUBLIC_PATHS.choose}/:token`, limited, async (c) => {
    const found = await findMessageBehind(deps, c.req.param('token'));
    if (!found) return gone(c);
    const form = await readFormOfMany(c);
    if (form['act'] === 'everything') {
      await recorder.record(leavingEvent(deps, leavingByMessage(found, 'preferences', true)));
      return c.html(donePage(await brandName(deps, found.brandId), []), 200, NEVER_CACHED);
    }
    const wanted = [form['list'] ?? []].flat().map(Number);
    const from = { campaignId: found.campaignId, network: networkOf(c), userAgent: userAgentOf(c) };
    const asked = await choosePreferences(
      deps,
      await findPreferences(deps, found.contactId, found.brandId),
      wanted,
      from,
    );
    const { lists } = await findPreferences(deps, found.contactId, found.brandId);
    return c.html(
      preferencesPage(await brandName(deps, found.brandId), choicesOf(lists), { asked }),
      200,
      NEVER_CACHED,
    );
  });
}

function choicesOf(lists: Preferences['lists']): { id: number; name: string; on: boolean }[] {
  return lists.map(({ list, on }) => ({ id: list.id, name: list.name, on }));
}

function gone(c: Context): Response | Promise<Response> {
  return c.html(gonePage(), 404, NEVER_CACHED);
}

async function findListBehind(deps: Deps, token: string): Promise<List | null> {
  const payload = deps.tokens.read(token, 'sign-up');
  return payload ? deps.database.getRepository(ListEntity).findOneBy({ id: payload.campaignId }) : null;
}

async function findMessageBehind(deps: Deps, token: string): Promise<DeliveryOfToken | undefined> {
  const payload = deps.tokens.read(token, 'unsubscribe');
  return payload && findDelivery(deps.database, payload.campaignId, payload.contactId);
}

async function brandName(deps: Deps, brandId: number): Promise<string> {
  return (await deps.database.getRepository(BrandEntity).findOneBy({ id: brandId }))?.name ?? 'this sender';
}

function textOf(value: unknown): string {
  return typeof value === 'string' ? oneLine(value).trim().slice(0, 1000) : '';
}

function userAgentOf(c: Context): string {
  return (c.req.header('user-agent') ?? '').slice(0, 300);
}
