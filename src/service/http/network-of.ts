import { isIP } from 'node:net';
import { getConnInfo } from '@hono/node-server/conninfo';
import type { Context } from 'hono';

/** Where a request came from: the address of its network, or nothing when it cannot be told. */
export type NetworkOf = (c: Context) => string | null;

/**
 * Reads where requests came from. X-Forwarded-For is believed as far as it was written by our own proxies: from its
 * end, the first address that is none of them. What stands before that, anybody can have written.
 */
export function makeNetworkOf(proxies: readonly string[]): NetworkOf {
  const ours = new Set(proxies.map(plain));
  return (c) => {
    const hops = (c.req.header('x-forwarded-for') ?? '').split(',').map((hop) => plain(hop.trim()));
    let at = plain(getConnInfo(c).remote.address ?? '');
    while (ours.has(at) && hops.length > 0) {
      const hop = hops.pop()!;
      if (isIP(hop) === 0) break;
      at = hop;
    }
    return at === '' ? null : at;
  };
}

/** An IPv4 address that came over an IPv6 socket, as it is usually written. */
function plain(address: string): string {
  return address.replace(/^::ffff:/i, '');
}
