import type { HttpBindings } from '@hono/node-server';
import type { Context } from 'hono';
import { Problem } from '../../operations/problem.ts';

/**
 * The file that is the body of a request, as Node.js gives it: 55 MB arrive in 0.2 s, through a web stream in 0.3.
 * @throws Problem bad-file when there is none
 */
export function uploadOf(c: Context): AsyncIterable<Uint8Array> {
  const { incoming } = c.env as HttpBindings;
  const { headers } = incoming;
  if (headers['transfer-encoding'] === undefined && headers['content-length'] === undefined)
    throw new Problem('bad-file', 'There is no file in the request.');
  return incoming;
}
