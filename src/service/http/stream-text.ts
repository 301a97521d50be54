import { Readable } from 'node:stream';
import type { Context } from 'hono';

/**
 * Answers with a file made piece by piece; nothing holds it whole. The first piece is made before the answer begins, so
 * that a refusal is still one.
 */
export async function streamText(
  c: Context,
  fileName: string,
  pieces: AsyncGenerator<string>,
  type = 'text/csv',
): Promise<Response> {
  const first = await pieces.next();
  async function* all(): AsyncGenerator<string> {
    if (!first.done) yield first.value;
    yield* pieces;
  }
  const body = Readable.toWeb(Readable.from(all())) as ReadableStream;
  return c.body(body.pipeThrough(new TextEncoderStream()), 200, {
    'content-type': `${type}; charset=utf-8`,
    'content-disposition': `attachment; filename="${fileName}"`,
  });
}
