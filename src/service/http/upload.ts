import { createHash, type Hash } from 'node:crypto';
import type { HttpBindings } from '@hono/node-server';
import type { Context } from 'hono';
import { Problem } from '../../operations/problem.ts';

/** Where the digest of a request's upload gathers, if anybody asks for it. */
const digests = new WeakMap<object, Hash>();

/**
 * The file that is the body of a request, as Node.js gives it: 55 MB arrive in 0.2 s, through a web stream in 0.3.
 * @throws Problem bad-file when there is none
 */
export function uploadOf(c: Context): AsyncIterable<Uint8Array> {
  const { incoming } = c.env as HttpBindings;
  const { headers } = incoming;
  if (headers['transfer-encoding'] === undefined && headers['content-length'] === undefined)
    throw new Problem('bad-file', 'There is no file in the request.');
  const digest = digests.get(incoming);
  return digest ? digested(incoming, digest) : incoming;
}

/**
 * The body of a request in memory, cut off as soon as it is longer than may be: also one that comes in chunks and does
 * not say how long it will be. Empty where there is none. @throws Problem too-large
 */
export async function readBody(c: Context, most: number, what = 'The body'): Promise<Buffer> {
  const { incoming } = c.env as HttpBindings;
  // What still comes is dropped for a moment, then the line is ended (Hono's server does both): a line that is ended
  // with bytes unread takes the refusal with it.
  const tooLarge = (): Problem =>
    new Problem('too-large', `${what} is over ${Math.floor(most / 1024 / 1024)} MB, which is the most.`);
  if (Number(incoming.headers['content-length'] ?? 0) > most) throw tooLarge();
  const digest = digests.get(incoming);
  const chunks: Buffer[] = [];
  let bytes = 0;
  // Leaving early must not end the line: the refusal is still to be said.
  for await (const chunk of incoming.iterator({ destroyOnReturn: false }) as AsyncIterable<Buffer>) {
    bytes += chunk.length;
    if (bytes > most) throw tooLarge();
    digest?.update(chunk);
    chunks.push(chunk);
  }
  return Buffer.concat(chunks);
}

/** Has the file of a request digested as it is read; the answer is the SHA-256 of what was read by then. */
export function hashUpload(c: Context): () => Buffer {
  const hash = createHash('sha256');
  digests.set((c.env as HttpBindings).incoming, hash);
  return () => hash.digest();
}

async function* digested(chunks: AsyncIterable<Uint8Array>, digest: Hash): AsyncGenerator<Uint8Array> {
  for await (const chunk of chunks) {
    digest.update(chunk);
    yield chunk;
  }
}
