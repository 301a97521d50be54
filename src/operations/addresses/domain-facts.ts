import {
  DEFAULT_SEVERITIES,
  type DomainFacts,
  type Exchange,
  type Severities,
} from '../../core/address/check-address.ts';
import { listLookAlikes, makeLookAlikeFinder, type DomainStanding } from '../../core/address/look-alike.ts';
import { domainEntryKeys } from '../../core/address/suppression-keys.ts';
import { overWholeSet } from '../../store/database.ts';
import { findExchanges, findRefused, saveExchanges } from '../../store/statements/domain-facts.ts';
import { listDomainStandings } from '../../store/statements/domains.ts';
import { findSetting, saveSettingParts } from '../../store/statements/settings.ts';
import type { Deps } from '../deps.ts';
import { remember } from '../remember.ts';

const SEVERITIES_SETTING = 'check-severities';

/** The severity of each code that has a setting: the defaults with what was changed. */
export async function findSeverities(deps: Deps): Promise<Severities> {
  return { ...DEFAULT_SEVERITIES, ...(await findSetting<Partial<Severities>>(deps.database, SEVERITIES_SETTING)) };
}

/** Changes the severities that are named, and answers all. */
export async function saveSeverities(deps: Deps, change: Partial<Severities>, actor: string): Promise<Severities> {
  await saveSettingParts(deps.database, SEVERITIES_SETTING, change, actor);
  return findSeverities(deps);
}

/** Domains asked of the resolver at once, and how long all of one call may take. */
const ASKED_AT_ONCE = 20;
const LONGEST_ASKING_MS = 10_000;

const STANDINGS_HOLD_MS = 5 * 60_000;

/**
 * The base's domains, counted when they are asked for and at most every few minutes: among millions that takes seconds.
 */
function rememberedStandings(deps: Deps): Promise<DomainStanding[]> {
  return remember(deps, 'domain-standings', STANDINGS_HOLD_MS, () => overWholeSet(deps.database, listDomainStandings));
}

/** The domain that was probably meant, from the base alone: no resolver is asked. */
export async function findMeantDomain(deps: Deps, domain: string): Promise<string | undefined> {
  return makeLookAlikeFinder(await rememberedStandings(deps))(domain)?.proposed.domain;
}

/** Domains of the base that look like slips of others. */
export async function listMistypedDomains(deps: Deps): Promise<string[]> {
  return listLookAlikes(await rememberedStandings(deps)).map(({ given }) => given.domain);
}

/** What was remembered of the base's domains has changed. */
export function forgetStandings(deps: Deps): void {
  deps.remembered.delete('domain-standings');
}

/** Finds what is known of domains. */
export function makeDomainFacts(deps: Deps): (domains: string[]) => Promise<Map<string, DomainFacts>> {
  const known = new Map<string, DomainFacts>();
  let find: ReturnType<typeof makeLookAlikeFinder> | undefined;
  return async (domains) => {
    const missing = [...new Set(domains)].filter((domain) => !known.has(domain));
    if (missing.length > 0) {
      const findLookAlike = (find ??= makeLookAlikeFinder(await rememberedStandings(deps)));
      const exchanges = await askExchanges(deps, missing);
      const refused = await findRefused(deps.database, missing.flatMap(domainEntryKeys));
      for (const domain of missing) {
        const value = domainEntryKeys(domain).find((key) => refused.has(key));
        known.set(domain, {
          lookAlike: findLookAlike(domain),
          exchange: exchanges.get(domain) ?? 'unknown',
          refused: value === undefined ? undefined : { value, reason: refused.get(value)! },
        });
      }
    }
    return known;
  };
}

/** From what was kept as long as it holds, else from the resolver; a time-out is unknown, and is not kept. */
async function askExchanges(deps: Deps, domains: string[]): Promise<Map<string, Exchange>> {
  if (!deps.askExchange) return new Map();
  const now = deps.now();
  const found = await findExchanges(deps.database, domains, now);
  const queue = domains.filter((domain) => !found.has(domain));
  const answers: { domain: string; exchange: Exchange; expiresAt: Date }[] = [];
  const until = Date.now() + LONGEST_ASKING_MS;
  const ask = async (): Promise<void> => {
    for (let domain = queue.pop(); domain !== undefined && Date.now() < until; domain = queue.pop()) {
      const { exchange, seconds } = await deps.askExchange!(domain);
      found.set(domain, exchange);
      if (exchange !== 'unknown')
        answers.push({ domain, exchange, expiresAt: new Date(now.getTime() + seconds * 1000) });
    }
  };
  await Promise.all(Array.from({ length: ASKED_AT_ONCE }, ask));
  if (answers.length > 0) await saveExchanges(deps.database, answers, now);
  return found;
}
