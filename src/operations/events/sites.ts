import { createHash } from 'node:crypto';
import { isOnSite, withVisit } from '../../core/message/visit-link.ts';
import type { TokenPayload } from '../../core/message/token.ts';
import type { Sql } from '../../store/sql.ts';
import { findSetting, saveSetting } from '../../store/statements/settings.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import { remember } from '../remember.ts';
import { OWN_SOURCE, type IncomingEvent } from './record-events.ts';

/** The organisation's own sites, on which our script tells of visits. */
export interface Sites {
  /** Hosts; those below them are meant too. */
  hosts: string[];
}

const NAME = 'sites';
/** Another process knows changed sites after this long at most. */
const REMEMBERED_MS = 30_000;
const HOST = /^(?=.{1,253}$)([a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?\.)+[a-z]([a-z0-9-]{0,61}[a-z0-9])?$/;

/** The organisation’s own sites, whose visits count; none until some are kept. */
export async function findSites(sql: Sql): Promise<Sites> {
  return (await findSetting<Sites>(sql, NAME)) ?? { hosts: [] };
}

/** @throws Problem invalid-input */
export async function saveSites(deps: Deps, sites: Sites, actor: string): Promise<Sites> {
  const hosts = [...new Set(sites.hosts.map((host) => host.toLowerCase()))];
  const wrong = hosts.find((host) => !HOST.test(host));
  if (wrong !== undefined)
    throw new Problem('invalid-input', `“${wrong}” is no host. Write it as www.larkfield.example, without https://.`, {
      field: 'hosts',
    });
  await saveSetting(deps.database, NAME, { hosts }, actor);
  deps.remembered.delete(NAME);
  return { hosts };
}

/** Where a click leads: to a site of our own with a token of who comes, to any other as it is. */
export async function findDestination(deps: Deps, url: string, click: TokenPayload): Promise<string> {
  const { hosts } = await remember(deps, NAME, REMEMBERED_MS, () => findSites(deps.database));
  if (hosts.length === 0 || !isOnSite(url, hosts)) return url;
  return withVisit(url, deps.tokens.make({ ...click, use: 'visit' }));
}

/** A page looked at again within so long is one visit to it. */
const ONE_VISIT_MS = 30 * 60_000;
const LONGEST_PATH = 300;

/** The event of a visit that the script tells of; nothing when its token does not verify. */
export async function findVisit(
  deps: Deps,
  told: { token?: unknown; path?: unknown; title?: unknown },
  from: { userAgent: string; network: string | null; brandOf: (payload: TokenPayload) => Promise<number | undefined> },
): Promise<IncomingEvent | undefined> {
  const payload = typeof told.token === 'string' ? deps.tokens.read(told.token, 'visit') : undefined;
  const brandId = payload && (await from.brandOf(payload));
  if (!payload || brandId === undefined) return undefined;
  const at = deps.now().getTime();
  const path = textOf(told.path) || '/';
  const digest = createHash('sha256').update(`${payload.campaignId} ${payload.contactId} ${path}`).digest('hex');
  return {
    kind: 'visited',
    at,
    source: OWN_SOURCE,
    externalId: `visit:${digest}:${Math.floor(at / ONE_VISIT_MS)}`,
    contactId: payload.contactId,
    brandId,
    campaignId: payload.campaignId,
    detail: {
      what: textOf(told.title) || path,
      url: path,
      way: 'script',
      userAgent: from.userAgent,
      network: from.network ?? undefined,
    },
  };
}

function textOf(value: unknown): string {
  if (typeof value !== 'string') return '';
  return value
    .slice(0, LONGEST_PATH)
    .replaceAll('\u0000', '')
    .replace(/\p{Surrogate}/gu, '')
    .trim();
}
