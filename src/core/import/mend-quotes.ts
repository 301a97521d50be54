/** A line that cannot be a row, and why. */
export interface BrokenLine {
  error: string;
}

/** A quoted cell may run over so many lines; beyond, the quotation mark is taken for a slip, not for a long cell. */
const MOST_LINES = 50;
/** A row longer than this is no row of a table of contacts. */
const MOST_CHARACTERS = 64 * 1024;

export interface QuoteMender {
  /** Takes the next line, without its end, and gives the rows that are whole with it. */
  take(line: string): (string | BrokenLine)[];
  /** Whether lines wait for the end of a quotation. */
  isOpen(): boolean;
  end(): (string | BrokenLine)[];
}

/**
 * Keeps one unclosed quotation mark from swallowing the rest of a file (RFC 4180 section 2.6): lines are put together
 * to rows as long as their quotation marks are uneven, and where no end is found, the first of these lines is broken
 * and reading goes on with the next. Blank lines are left out.
 */
export function makeQuoteMender(): QuoteMender {
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
    const even = isEven(line);
    if (open.length === 0 && even) {
      if (line.trim() !== '') rows.push(line);
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
  return {
    take(line) {
      takeLine(line);
      return given();
    },
    isOpen: () => open.length > 0,
    end() {
      while (open.length > 0) giveUp();
      return given();
    },
  };
}

function isEven(line: string): boolean {
  let at = line.indexOf('"');
  let even = true;
  for (; at >= 0; at = line.indexOf('"', at + 1)) even = !even;
  return even;
}
