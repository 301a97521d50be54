import { guessDelimiter } from './guess-format.ts';
import { makeQuoteMender, type BrokenLine } from './mend-quotes.ts';
import { PlainRow } from '../import-engine/plain-row.ts';

/** A row: plain in its bytes, or as text without its line end, or why it is none. */
export type CutRow = PlainRow | string | BrokenLine;

/**
 * Takes a table in UTF-8 in pieces cut anywhere, gives whole rows in their order. What one call gives is read before
 * the next.
 */
export interface RowCutter {
  take(piece: Buffer): Generator<CutRow>;
  end(): Generator<CutRow>;
  /** What parts the cells; before the first row what was said. */
  delimiter(): string | undefined;
}

/** A line longer than this is no row of a table of contacts. */
const MOST_BYTES = 64 * 1024;
/** Enough of a line to tell which it was. */
const TOLD_BYTES = 800;
const TOLD_CHARACTERS = 200;
const NOTHING = Buffer.alloc(0);
const LINE_FEED = 0x0a;
const BLANK = 0x20;

/**
 * Cuts a table into rows. One pass; a line without end is let go, not gathered. Without a delimiter that was said, it
 * is the one that parts the first row most often.
 */
export function makeRowCutter(said?: string): RowCutter {
  const mender = makeQuoteMender();
  const plain = new PlainRow();
  let delimiter = said;
  let rest: Buffer = NOTHING;
  /** Beginning of a line that is too long and has not ended yet. */
  let overlong: Buffer | undefined;

  const takeLine = (line: Buffer): (string | BrokenLine)[] => {
    if (line.length > MOST_BYTES) return [tooLong(line)];
    const text = line.toString('utf8');
    if (text.trim() !== '') delimiter ??= guessDelimiter(text);
    return mender.take(text.endsWith('\r') ? text.slice(0, -1) : text);
  };
  /** Gives the rows of whole lines, from one place to another. */
  function* takeLines(bytes: Buffer, begun: number, ended: number): Generator<CutRow> {
    for (let from = begun; from < ended;) {
      // What begins with a blank may be a blank line.
      const mayBePlain = bytes[from]! > BLANK && delimiter?.length === 1 && !mender.isOpen();
      const plainEnd = mayBePlain ? plain.take(bytes, from, delimiter!.charCodeAt(0)) : -1;
      const end = plainEnd >= 0 ? plainEnd : bytes.indexOf(LINE_FEED, from);
      if (plainEnd >= 0 && end - from <= MOST_BYTES) yield plain;
      else yield* takeLine(bytes.subarray(from, end));
      from = end + 1;
    }
  }
  const keep = (tail: Buffer): void => {
    rest = Buffer.concat([rest, tail]);
    if (rest.length <= MOST_BYTES) return;
    overlong = Buffer.from(rest.subarray(0, TOLD_BYTES));
    rest = NOTHING;
  };
  function* take(piece: Buffer): Generator<CutRow> {
    let begun = 0;
    if (overlong !== undefined) {
      begun = piece.indexOf(LINE_FEED) + 1;
      if (begun === 0) return;
      yield tooLong(overlong);
      overlong = undefined;
    }
    const ended = piece.lastIndexOf(LINE_FEED) + 1;
    if (ended > begun && rest.length > 0) {
      // Only the line that is cut in two is put together, not all that follows it.
      begun = piece.indexOf(LINE_FEED) + 1;
      const line = Buffer.concat([rest, piece.subarray(0, begun)]);
      rest = NOTHING;
      yield* takeLines(line, 0, line.length);
    }
    keep(piece.subarray(Math.max(begun, ended)));
    yield* takeLines(piece, begun, ended);
  }
  return {
    take,
    *end() {
      yield* take(Buffer.from('\n'));
      yield* mender.end();
    },
    delimiter: () => delimiter,
  };
}

function tooLong(line: Buffer): BrokenLine {
  const begun = line.toString('utf8', 0, TOLD_BYTES).slice(0, TOLD_CHARACTERS);
  return { error: `the line is longer than ${MOST_BYTES / 1024} KB: ${begun}` };
}
