import type { Context, MiddlewareHandler } from 'hono';
import { Problem } from '../../operations/problem.ts';

/** By which names the console is reached, and whether by TLS. */
export interface Doors {
  /** Where browsers find the console, as `https://avendel.larkfield.example`. */
  consoleUrl: string;
  /** Names that a request may have in Host, in lower case and without a port. */
  hosts: ReadonlySet<string>;
}

/** Names by which this machine is always reached from itself. */
const LOOPBACK_NAMES = ['localhost', '127.0.0.1', '[::1]'];

export function makeDoors(consoleUrl: string, hosts: readonly string[]): Doors {
  const named = [new URL(consoleUrl).hostname, ...hosts].map((one) => one.toLowerCase());
  return { consoleUrl, hosts: new Set([...named, ...LOOPBACK_NAMES]) };
}

/**
 * Turns away what comes by a name that is not ours: a page elsewhere whose own name was made to lead here would
 * otherwise be of the same origin as the console.
 */
export function knownHosts({ hosts }: Doors): MiddlewareHandler {
  return async (c, next) => {
    const host = nameIn(c.req.header('host'));
    if (host === undefined || !hosts.has(host))
      return c.text(
        `Nothing is served here under the name ${JSON.stringify(host ?? '')}. Who runs this service can add it to AVENDEL_CONSOLE_HOSTS.\n`,
        421,
      );
    await next();
  };
}

/**
 * A browser says from which page a request comes; only our own may change anything. What sends neither field is no
 * browser.
 * @throws Problem csrf
 */
export function refuseForeign(c: Context, { consoleUrl, hosts }: Doors): void {
  const site = c.req.header('sec-fetch-site');
  const origin = c.req.header('origin');
  const isOwn = origin === undefined || origin === consoleUrl || isSameHost(origin, c.req.header('host'), hosts);
  if ((site !== undefined && site !== 'same-origin' && site !== 'none') || !isOwn)
    throw new Problem('csrf', 'The request comes from a page of another site.');
}

/** The origin names the very host and port that the request is for. */
function isSameHost(origin: string, host: string | undefined, hosts: ReadonlySet<string>): boolean {
  if (!URL.canParse(origin) || host === undefined) return false;
  const { host: from, hostname, protocol } = new URL(origin);
  const isWeb = protocol === 'http:' || protocol === 'https:';
  return isWeb && from.toLowerCase() === host.toLowerCase() && hosts.has(hostname.toLowerCase());
}

function nameIn(host: string | undefined): string | undefined {
  return host !== undefined && URL.canParse(`http://${host}`)
    ? new URL(`http://${host}`).hostname.toLowerCase()
    : undefined;
}
