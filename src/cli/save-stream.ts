import { createWriteStream } from 'node:fs';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { ReadableStream as WebStream } from 'node:stream/web';

/** Writes an answer into a file as it comes, or to the terminal for `-`. */
export async function saveStream(response: Response, file: string): Promise<void> {
  const to = file === '-' ? process.stdout : createWriteStream(file);
  await pipeline(Readable.fromWeb(response.body as WebStream), to, { end: file !== '-' });
}
