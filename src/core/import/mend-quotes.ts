/** A line that cannot be a row: its quotation mark is never closed. `after` counts the rows before it. */
export interface BrokenLine {
  after: number;
  error: string;
}

/** A quoted cell may run over so many lines; beyond, the quotation mark is taken for a slip, not for a long cell. */
const MOST_LINES = 50;
const MOST_CHARACTERS = 64 * 1024;

/**
 * Keeps one unclosed quotation mark from swallowing the rest of a file (RFC 4180 section 2.6): lines are put together
 * to rows as long as their quotation marks are uneven, and where no end is found, the first of these lines is reported
 * and reading goes on with the next. Takes text in pieces cut anywhere, gives whole rows in pieces. One pass.
 */
export function makeQuoteMender(report: (line: BrokenLine) => void): { take(text: string): string; end(): string } {
  let rest = '';
  let open: string[] = [];
  let openCharacters = 0;
  let rows = 0;
  let out = '';

  const keep = (row: string): void => {
    if (row.trim() !== '') rows++;
    out += `${row}\n`;
  };
  const giveUp = (): void => {
    const [broken, ...others] = open;
    report({ after: rows, error: `a quotation mark is not closed: ${broken!.slice(0, 200)}` });
    open = [];
    openCharacters = 0;
    for (const line of others) takeLine(line);
  };
  const takeLine = (line: string): void => {
    if (open.length === 0 && isEven(line)) return keep(line);
    open.push(line);
    openCharacters += line.length;
    if (open.length > 1 && !isEven(line)) {
      keep(open.join('\n'));
      open = [];
      openCharacters = 0;
    } else if (open.length >= MOST_LINES || openCharacters > MOST_CHARACTERS) giveUp();
  };
  const given = (): string => {
    const text = out;
    out = '';
    return text;
  };
  return {
    take(text) {
      const lines = (rest + text).split('\n');
      rest = lines.pop()!;
      for (const line of lines) takeLine(line);
      return given();
    },
    end() {
      if (rest !== '') takeLine(rest);
      rest = '';
      while (open.length > 0) giveUp();
      return given();
    },
  };
}

function isEven(line: string): boolean {
  let even = true;
  for (let at = line.indexOf('"'); at >= 0; at = line.indexOf('"', at + 1)) even = !even;
  return even;
}
