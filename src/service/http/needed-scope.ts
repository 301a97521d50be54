import type { TokenScope } from '../../shared/access.ts';
import type { Contract } from '../../shared/contract/contract.ts';

/** What a token has to be allowed for a route. */
export function neededScope({ method, path, needs }: Pick<Contract, 'method' | 'path' | 'needs'>): TokenScope {
  return needs ?? (method === 'get' || path.endsWith('/preview') ? 'read' : 'write');
}
