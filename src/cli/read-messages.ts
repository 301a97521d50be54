import { createReadStream, existsSync, readdirSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { MAX_MESSAGE_BYTES } from '../core/returns/limits.ts';
import { isMbox, makeMboxSplitter } from '../core/returns/mbox.ts';
import { UsageError } from './usage-error.ts';

/** One message out of a file: its bytes as far as they are ever read, and where it stood. */
export interface FoundMessage {
  /** The file, with `#3` behind it for the third message of an mbox. */
  file: string;
  raw: Buffer;
}

/**
 * Messages of a path, one after the other: a message file, an mbox (RFC 4155), a Maildir (its `new` and `cur`), a
 * folder of message files, or `-` for standard input. Neither an mbox nor a large message is ever held whole.
 */
export async function* readMessages(path: string): AsyncGenerator<FoundMessage> {
  if (path === '-') {
    yield* fromStream(path, process.stdin);
    return;
  }
  if (!existsSync(path)) throw new UsageError(`There is no file ${path}.`, 1);
  for (const file of filesOf(path)) yield* fromStream(file, createReadStream(file));
}

function filesOf(path: string): string[] {
  if (!statSync(path).isDirectory()) return [path];
  const inside = (folder: string): string[] =>
    readdirSync(folder, { withFileTypes: true })
      .filter((entry) => entry.isFile() && !entry.name.startsWith('.'))
      .map((entry) => join(folder, entry.name))
      .sort();
  const maildir = ['new', 'cur'].map((part) => join(path, part)).filter((part) => existsSync(part));
  return maildir.length > 0 ? maildir.flatMap(inside) : inside(path);
}

async function* fromStream(file: string, stream: AsyncIterable<Buffer>): AsyncGenerator<FoundMessage> {
  let splitter: ReturnType<typeof makeMboxSplitter> | undefined;
  let number = 0;
  let begun: Buffer = Buffer.alloc(0);
  let decided = false;
  const numbered = (messages: Buffer[]): FoundMessage[] =>
    messages.map((raw) => ({ file: `${file}#${++number}`, raw }));
  for await (const chunk of stream) {
    if (!decided) {
      begun = Buffer.concat([begun, chunk]);
      if (begun.length < MBOX_SEEN_AFTER) continue;
      decided = true;
      if (isMbox(begun)) yield* numbered((splitter = makeMboxSplitter()).take(begun));
    } else if (splitter) yield* numbered(splitter.take(chunk));
    else if (begun.length <= MAX_MESSAGE_BYTES) begun = Buffer.concat([begun, chunk]);
  }
  if (splitter) yield* numbered(splitter.end());
  else yield { file, raw: begun };
}

/** So many bytes tell an mbox from a message. */
const MBOX_SEEN_AFTER = 5;
