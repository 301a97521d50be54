import { BlockList, isIP } from 'node:net';
import type { IsProxy } from '../../core/activity/judge-actor.ts';
import type { Sql } from '../../store/sql.ts';
import { findSetting, saveSetting } from '../../store/statements/settings.ts';
import type { Deps } from '../deps.ts';
import { Problem } from '../problem.ts';
import { remember } from '../remember.ts';

/** Networks and user agents of image proxies, as the operator keeps them. */
export interface ProxyList {
  /** CIDR blocks and single addresses. */
  networks: string[];
  /** Words in a user agent, in any case. */
  agents: string[];
}

const NAME = 'proxy list';
/** Another process knows a changed list after this long at most. */
const REMEMBERED_MS = 30_000;

/** The organisation’s list of image proxies; empty until one is kept. */
export async function findProxyList(sql: Sql): Promise<ProxyList> {
  return (await findSetting<ProxyList>(sql, NAME)) ?? { networks: [], agents: [] };
}

/**
 * Keeps another list. Past opens stay as they were judged until they are decided anew.
 * @throws Problem invalid-input
 */
export async function saveProxyList(deps: Deps, list: ProxyList, actor: string): Promise<ProxyList> {
  const wrong = list.networks.find((network) => parseNetwork(network) === undefined);
  if (wrong !== undefined)
    throw new Problem('invalid-input', `“${wrong}” is no network. Write it as 192.0.2.0/24 or 2001:db8::/32.`, {
      field: 'networks',
    });
  await saveSetting(deps.database, NAME, list, actor);
  deps.remembered.delete(NAME);
  return list;
}

/** The test of that list, remembered for a while. */
export function findIsProxy(deps: Deps, sql: Sql): Promise<IsProxy> {
  return remember(deps, NAME, REMEMBERED_MS, () => findProxyList(sql).then(makeIsProxy));
}

/**
 * Makes the test of an operator's list. Blocks that cannot be read are refused when the list is saved, and are no hit
 * here.
 */
export function makeIsProxy({ networks, agents }: ProxyList): IsProxy {
  const blocks = new BlockList();
  for (const network of networks.map(parseNetwork)) {
    if (network) blocks.addSubnet(network.address, network.bits, network.family);
  }
  const words = agents.map((agent) => agent.toLowerCase());
  return ({ userAgent, network }) => {
    const family = isIP(network);
    if (family !== 0 && blocks.check(network, family === 6 ? 'ipv6' : 'ipv4')) return true;
    return words.some((word) => userAgent.toLowerCase().includes(word));
  };
}

/** A CIDR block (RFC 4632) or a single address; nothing when it is neither. */
export function parseNetwork(text: string): { address: string; bits: number; family: 'ipv4' | 'ipv6' } | undefined {
  const [address = '', bitsText, more] = text.trim().split('/');
  const family = isIP(address);
  if (family === 0 || more !== undefined) return undefined;
  const most = family === 6 ? 128 : 32;
  const bits = bitsText === undefined ? most : /^\d{1,3}$/.test(bitsText) ? Number(bitsText) : NaN;
  return bits >= 0 && bits <= most ? { address, bits, family: family === 6 ? 'ipv6' : 'ipv4' } : undefined;
}
