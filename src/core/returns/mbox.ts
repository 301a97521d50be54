// RFC 4155: The application/mbox Media Type.
import { MAX_MESSAGE_BYTES } from './limits.ts';

const FROM_LINE = Buffer.from('From ');
const LINE_END = 0x0a;

/** Whether a file of messages begins as an mbox does; a field `From:` does not. */
export function isMbox(beginning: Uint8Array): boolean {
  return Buffer.from(beginning.subarray(0, FROM_LINE.length)).equals(FROM_LINE);
}

/**
 * Takes an mbox apart as it is read, whatever the pieces: a line that begins with `From ` after an empty line or at the
 * very beginning parts two messages. Of a message larger than is ever read, the beginning is kept. `>From ` in a body
 * is turned back.
 */
export function makeMboxSplitter(): { take(piece: Uint8Array): Buffer[]; end(): Buffer[] } {
  let rest: Buffer = Buffer.alloc(0);
  let lines: Buffer[] | undefined;
  let size = 0;
  let afterBlank = true;
  const finish = (): Buffer[] => {
    const whole = lines && Buffer.concat(lines);
    lines = undefined;
    size = 0;
    return whole && whole.length > 0 ? [whole] : [];
  };
  const takeLine = (line: Buffer): Buffer[] => {
    const begins = afterBlank && line.subarray(0, FROM_LINE.length).equals(FROM_LINE);
    afterBlank = line.length === 1 || (line.length === 2 && line[0] === 0x0d);
    if (begins) {
      const done = finish();
      lines = [];
      return done;
    }
    size += line.length;
    if (size <= MAX_MESSAGE_BYTES) (lines ??= []).push(unescaped(line));
    return [];
  };
  return {
    take(piece) {
      const text = rest.length === 0 ? Buffer.from(piece) : Buffer.concat([rest, piece]);
      const done: Buffer[] = [];
      let start = 0;
      for (let end = text.indexOf(LINE_END); end >= 0; end = text.indexOf(LINE_END, start)) {
        done.push(...takeLine(text.subarray(start, end + 1)));
        start = end + 1;
      }
      rest = text.subarray(start);
      // A line that never ends is let go in pieces.
      if (rest.length > MAX_MESSAGE_BYTES) {
        done.push(...takeLine(rest));
        rest = Buffer.alloc(0);
      }
      return done;
    },
    end() {
      const done = rest.length > 0 ? takeLine(rest) : [];
      return [...done, ...finish()];
    },
  };
}

/** Quoting by one more `>` before `From `. */
function unescaped(line: Buffer): Buffer {
  return line[0] === 0x3e && /^>+From /.test(line.subarray(0, 40).toString('latin1')) ? line.subarray(1) : line;
}
