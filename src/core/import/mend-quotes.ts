/** A line that cannot be a row, and why. */
export interface BrokenLine {
  error: string;
}

/** A quoted cell may run over so many lines; beyond, the quotation mark is taken for a slip, not for a long cell. */
const MOST_LINES = 50;
/** A row longer than this is no row of a table of contacts. */
const MOST_CHARACTERS = 64 * 1024;

export interface QuoteMender {
  take(text: string): (string | BrokenLine)[];
  end(): (string | BrokenLine)[];
}

/**
 * Keeps one unclosed quotation mark from swallowing the rest of a file (RFC 4180 section 2.6): lines are put together
 * to rows as long as their quotation marks are uneven, and where no end is found, the first of these lines is broken
 * and reading goes on with the next. Takes text in pieces cut anywhere, gives whole rows in their order, without their
 * line ends; blank lines are left out. One pass; a line without end is let go, not gathered.
 */
export function makeQuoteMender(): QuoteMender {
  let rest = '';
  /** Beginning of a line that is too long and has not ended yet. */
  let overlong: string | undefined;
  let open: string[] = [];
  let openCharacters = 0;
  let rows: (string | BrokenLine)[] = [];

  const giveUp = (): void => {
    const [broken, ...others] = open;
    rows.push({ error: `a quotation mark is not closed: ${broken!.slice(0, 200)}` });
    open = [];
    openCharacters = 0;
    for (const line of others) takeLine(line);
  };
  const takeLine = (line: string): void => {
    if (line.length > MOST_CHARACTERS) return void rows.push(tooLong(line));
    const even = isEven(line);
    if (open.length === 0 && even) {
      if (line !== '' && line.trim() !== '') rows.push(line);
      return;
    }
    open.push(line);
    openCharacters += line.length;
    if (open.length > 1 && !even) {
      rows.push(open.join('\n'));
      open = [];
      openCharacters = 0;
    } else if (open.length >= MOST_LINES || openCharacters > MOST_CHARACTERS) giveUp();
  };
  const given = (): (string | BrokenLine)[] => {
    const all = rows;
    rows = [];
    return all;
  };
  const takeText = (text: string): void => {
    const lines = text.split('\n');
    rest = lines.pop()!;
    for (const line of lines) takeLine(line.endsWith('\r') ? line.slice(0, -1) : line);
  };
  return {
    take(text) {
      const end = overlong === undefined ? 0 : text.indexOf('\n') + 1;
      if (overlong !== undefined) {
        if (end === 0) return [];
        rows.push(tooLong(overlong));
        overlong = undefined;
      }
      takeText(rest + text.slice(end));
      if (rest.length > MOST_CHARACTERS) {
        overlong = rest.slice(0, 200);
        rest = '';
      }
      return given();
    },
    end() {
      if (overlong !== undefined) rows.push(tooLong(overlong));
      else if (rest !== '') takeLine(rest);
      rest = '';
      overlong = undefined;
      while (open.length > 0) giveUp();
      return given();
    },
  };
}

function tooLong(line: string): BrokenLine {
  return { error: `the line is longer than ${MOST_CHARACTERS / 1024} KB: ${line.slice(0, 200)}` };
}

function isEven(line: string): boolean {
  let at = line.indexOf('"');
  let even = true;
  for (; at >= 0; at = line.indexOf('"', at + 1)) even = !even;
  return even;
}
