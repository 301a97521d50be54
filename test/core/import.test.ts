import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { MOST_CHUNK_ROWS, planChunks } from '../../src/core/import/chunk-plan.ts';
import { makeRowCutter, type CutRow } from '../../src/core/import/cut-rows.ts';
import type { BrokenLine } from '../../src/core/import/mend-quotes.ts';
import { PlainRow } from '../../src/core/import-engine/plain-row.ts';
import { makePlainRowReader } from '../../src/core/import/read-plain-row.ts';
import { readAttributeValue } from '../../src/core/import/attribute-value.ts';
import { guessDelimiter, guessEncoding, splitHeader } from '../../src/core/import/guess-format.ts';
import { attributeName, guessMapping, parseColumnUse } from '../../src/core/import/map-columns.ts';
import { makeRowReader } from '../../src/core/import/read-table.ts';
import { countOutcomes, OUTCOME_LETTERS, outcomeOf } from '../../src/core/import/row-outcomes.ts';
import { makeSeenAddresses } from '../../src/core/import-engine/seen-addresses.ts';
import { makeInterned } from '../../src/core/import-engine/interned.ts';
import { makeRecoder } from '../../src/core/text/recode.ts';
import type { Encoding } from '../../src/shared/words.ts';
import { ROW_WORDS } from '../../src/shared/row-words.ts';

/** The rows of a table that comes in these pieces, each as the text of its line. */
function rowsOf(pieces: Buffer[], delimiter?: string): (string | BrokenLine)[] {
  const cutter = makeRowCutter(delimiter);
  const texts = (rows: Iterable<CutRow>): (string | BrokenLine)[] =>
    Array.from(rows, (row) => (row instanceof PlainRow ? row.cells.join(cutter.delimiter()) : row));
  return [...pieces.flatMap((piece) => texts(cutter.take(piece))), ...texts(cutter.end())];
}

function mend(pieces: string[]): (string | BrokenLine)[] {
  return rowsOf(pieces.map((piece) => Buffer.from(piece)));
}

/** Cuts bytes at these places, which may be anywhere, in the middle of a character too. */
function cut(bytes: Buffer, places: number[]): Buffer[] {
  const at = [...new Set(places.map((place) => place % (bytes.length + 1)))].sort((a, b) => a - b);
  return [0, ...at].map((start, index) => bytes.subarray(start, [...at, bytes.length][index]));
}

describe('mending quotation marks', () => {
  test('rows stay rows, a cell over several lines stays one row, blank lines go, CRLF and LF end lines alike', () => {
    expect(mend(['a,b\r\n1,"two\nlines"\r\n\r\n   \n3,4'])).toEqual(['a,b', '1,"two\nlines"', '3,4']);
  });

  test('one mark that is never closed costs its own line and no other', () => {
    const rows = Array.from({ length: 200 }, (_, index) => `reader${index}@quillmail.example,Reader ${index}`);
    const broken = [...rows.slice(0, 50), '"oops,never closed', ...rows.slice(50)];
    const mended = mend([broken.join('\n')]);
    expect(mended.filter((row) => typeof row === 'string')).toEqual(rows);
    expect(mended[50]).toEqual({ error: 'a quotation mark is not closed: "oops,never closed' });
  });

  test('a line of ten megabytes is let go with a word, whole or in pieces, and reading goes on', () => {
    const long = `x${'y'.repeat(10 * 1024 * 1024)}`;
    const told = { error: expect.stringMatching(/^the line is longer than 64 KB: xyyy/) as unknown };
    expect(mend([`a\n${long}\nb`])).toEqual(['a', told, 'b']);
    const pieces = [
      'a\n',
      ...Array.from({ length: 11 }, (_, index) => long.slice(index << 20, (index + 1) << 20)),
      '\nb\n',
    ];
    expect(mend(pieces)).toEqual(['a', told, 'b']);
    expect(mend(['a\n', ...pieces.slice(1, -1)])).toEqual(['a', told]);
  });

  test('cut at any places, a file gives the same rows', () => {
    const line = fc.constantFrom(
      'a,b',
      '"a","b"',
      '"a\nb",c',
      '',
      '  ',
      'x"y',
      '"',
      'é,ü',
      '"x""y",z',
      ' a,b',
      'a\tb,c',
      'a\rb',
    );
    fc.assert(
      fc.property(
        fc.array(line, { maxLength: 30 }),
        fc.constantFrom('\n', '\r\n'),
        fc.array(fc.nat(), { maxLength: 8 }),
        (lines, end, places) => {
          const bytes = Buffer.from(lines.join(end));
          expect(rowsOf(cut(bytes, places))).toEqual(rowsOf([bytes]));
        },
      ),
    );
  });
});

test('rows are the same whether they are read in their bytes or, of a delimiter that no byte is, as text', () => {
  const line = fc.string({ unit: fc.constantFrom('a', ',', ' ', '@', '~', '\t', '\r', '\u007f', 'é'), maxLength: 12 });
  fc.assert(
    fc.property(fc.array(line, { maxLength: 20 }), fc.constantFrom(',', '\t', ' '), (lines, delimiter) => {
      const bytes = Buffer.from(lines.join('\n'));
      expect(rowsOf([bytes], delimiter)).toEqual(rowsOf([bytes], 'none'));
    }),
  );
});

test('a byte order mark goes, wherever it is cut, and other encodings become UTF-8', () => {
  const table = 'address\nzoë@quillmail.example';
  const recoded = (encoding: Encoding, pieces: Buffer[]): string => {
    const recoder = makeRecoder(encoding);
    return Buffer.concat([...pieces.map((piece) => recoder.take(piece)), recoder.end()]).toString();
  };
  for (let place = 0; place < 6; place++) {
    expect(recoded('utf-8', cut(Buffer.from(`\ufeff${table}`), [1, place]))).toBe(table);
    expect(recoded('utf-16le', cut(Buffer.from(`\ufeff${table}`, 'utf16le'), [1, place]))).toBe(table);
  }
  expect(recoded('utf-8', [Buffer.from(table)])).toBe(table);
  expect(recoded('utf-8', [Buffer.from('a')])).toBe('a');
  expect(recoded('windows-1252', [Buffer.from(table, 'latin1')])).toBe(table);
});

describe('what a file is', () => {
  test('the delimiter is the one that parts the header most often, outside quotation marks', () => {
    expect(guessDelimiter('address,name,since')).toBe(',');
    expect(guessDelimiter('"name, full";address;since')).toBe(';');
    expect(guessDelimiter('address\tname')).toBe('\t');
    expect(guessDelimiter('address|name|seat')).toBe('|');
    expect(splitHeader('\ufeff"name | full"| address ', '|')).toEqual(['name | full', 'address']);
  });

  test('the encoding is told by byte order marks or zero bytes, and what is no text is said to be none', () => {
    expect(guessEncoding(Buffer.from('address\nana@quillmail.example'))).toBe('utf-8');
    expect(guessEncoding(Buffer.from('\ufeffaddress', 'utf16le'))).toBe('utf-16le');
    expect(guessEncoding(Buffer.from('address;name', 'utf16le'))).toBe('utf-16le');
    expect(guessEncoding(Buffer.from('address;name', 'utf16le').swap16())).toBe('utf-16be');
    expect(guessEncoding(Buffer.from([0x50, 0x4b, 3, 4, 20, 0, 8]))).toBeUndefined();
    expect(guessEncoding(Buffer.from('name\nJosé Müller', 'latin1'))).toBe('windows-1252');
    expect(guessEncoding(Buffer.from('name\nJosé Müller'))).toBe('utf-8');
    expect(
      guessEncoding(Buffer.concat([Buffer.from('José Müller'), Buffer.from('é', 'latin1'), Buffer.from('.')])),
    ).toBe('utf-8');
    expect(guessEncoding(Buffer.from('name\nJosé').subarray(0, -1))).toBe('utf-8');
  });

  test('headers are guessed once each, others become attributes of their own name', () => {
    expect(guessMapping(['E-Mail', 'Full name', 'Signed up', 'Address', 'Seat No.', '42', ''])).toEqual({
      'E-Mail': 'address',
      'Full name': 'name',
      'Signed up': 'joined_at',
      Address: 'address',
      'Seat No.': 'seat_no',
      '42': null,
      '': null,
    });
    expect(attributeName('  Größe (cm) ')).toBe('gr_e_cm');
  });
});

describe('reading a row', () => {
  test('a cell that says of leaving yes, since when, no, or nothing that can be understood', () => {
    const read = makeRowReader(
      {
        headers: ['Mail', 'Out', 'Off'],
        mapping: { Mail: 'address', Out: 'opted_out', Off: 'unsubscribed' },
        types: {},
        zone: 'UTC',
      },
      NOW,
    );
    const leaving = (out: string, off = ''): unknown => {
      const row = read(['ana@quillmail.example', out, off]);
      return row.code ?? row.leaving;
    };
    for (const yes of ['yes', 'Y', ' TRUE ', '1', 'x', 'Opted out', 'unsubscribed'])
      expect(leaving(yes)).toMatchObject({ everything: true, at: null });
    for (const no of ['no', 'N', 'false', '0', '-', '', '  ', 'subscribed', 'never']) expect(leaving(no)).toBeNull();
    expect(leaving('2025-06-01 10:00')).toEqual({
      everything: true,
      at: '2025-06-01T10:00:00.000Z',
      said: '“Out” says “2025-06-01 10:00”',
    });
    expect([leaving('perhaps'), leaving('2025-13-01'), leaving('2099-01-01')]).toEqual([
      'bad-value',
      'bad-date',
      'future-date',
    ]);
    // The wider one holds where both are said; the narrower one alone is of the list.
    expect(leaving('yes', 'yes')).toMatchObject({ everything: true });
    expect(leaving('no', 'yes')).toMatchObject({ everything: false, said: '“Off” says “yes”' });
  });

  const NOW = Date.parse('2026-11-23T12:00:00Z');
  const read = makeRowReader(
    {
      headers: ['address', 'name', 'joined', 'seat', 'visits', 'consent'],
      mapping: {
        address: 'address',
        name: 'name',
        joined: 'joined_at',
        seat: 'seat',
        visits: 'visits',
        consent: 'consent_evidence',
      },
      types: { visits: { type: 'number' } },
      zone: 'UTC',
    },
    NOW,
  );

  test('a good row in normal form', () => {
    expect(
      read([' Ana.Lind@QUILLMAIL.example ', ' Ana\u0000 Lind ', '2026-01-02', 'B7', '12', 'ticked on paper']),
    ).toEqual({
      code: null,
      address: 'ana.lind@quillmail.example',
      domain: 'quillmail.example',
      name: 'Ana Lind',
      attributes: { seat: 'B7', visits: 12 },
      joinedAt: '2026-01-02T00:00:00.000Z',
      list: null,
      tags: null,
      consent: { source: null, evidence: 'ticked on paper' },
      leaving: null,
    });
    expect(
      makeRowReader(
        { headers: ['Mail', 'Tag'], mapping: { Mail: 'address', Tag: 'tags' }, types: {}, zone: 'UTC' },
        NOW,
      )(['ana@quillmail.example', 'board; Moon-walk|{x}"|board, ;']),
    ).toMatchObject({ tags: ['board', 'Moon-walk', 'x'] });
    const long = `${'x'.repeat(999)}🔭`;
    expect(read(['ana@quillmail.example', '', '', long, '', ''])).toMatchObject({
      attributes: { seat: 'x'.repeat(999) },
    });
    expect(read(['ana@quillmail.example', '', '', '', '', ''])).toMatchObject({
      name: null,
      attributes: null,
      joinedAt: null,
      consent: null,
    });
  });

  test.each([
    [['', 'Ana', '', '', '', ''], 'empty', 0],
    [['ana at quillmail.example', '', '', '', '', ''], 'no-at-sign', 0],
    [['ana lind@quillmail.example', '', '', '', '', ''], 'bad-local-part', 0],
    [['ana@quillmail', '', '', '', '', ''], 'bad-domain', 0],
    [[`${'a'.repeat(65)}@quillmail.example`, '', '', '', '', ''], 'too-long', 0],
    [['a\u200bna@quillmail.example', '', '', '', '', ''], 'control-character', 0],
    [['ana@quillmail.example', '', '02.01.2026', '', '', ''], 'bad-date', 2],
    [['ana@quillmail.example', '', '2026-13-02', '', '', ''], 'bad-date', 2],
    [['ana@quillmail.example', '', '2026-11-26', '', '', ''], 'future-date', 2],
    [['ana@quillmail.example', '', '', '', '1,5', ''], 'bad-value', 4],
  ])('%j is refused as %s', (cells, code, column) => {
    expect(read(cells)).toEqual({ code, column });
  });

  test('a row with fewer cells than the header is refused whole', () => {
    expect(read(['ana@quillmail.example', 'Ana'])).toEqual({ code: 'column-count' });
  });
});

test('a plain row is read as any row is, or left to be read as one', () => {
  const NOW = Date.parse('2026-11-23T12:00:00Z');
  const columns = {
    headers: ['address', 'name', 'joined', 'seat', 'tags'],
    mapping: { address: 'address', name: 'name', joined: 'joined_at', seat: 'seat', tags: 'tags' },
    types: { seat: { type: 'number' } },
    zone: 'America/New_York',
  } as const;
  const [read, readPlain] = [
    makeRowReader({ ...columns, headers: [...columns.headers] }, NOW),
    makePlainRowReader({ ...columns, headers: [...columns.headers] }, NOW),
  ];
  const letters = (unit: string[], maxLength: number) => fc.string({ unit: fc.constantFrom(...unit), maxLength });
  const local = fc.oneof(
    fc.constantFrom('a.b', '.a', 'a.', 'a..b', ''),
    letters(['a', 'B', '.', '+', "'", ' ', '@', '(', '_'], 8),
  );
  const domain = fc.oneof(
    fc.constantFrom('quillmail.example', 'Quillmail.EXAMPLE', 'quillmail.example.', 'quillmail', '-a.example', 'a..b'),
    letters(['a', '1', '.', '-', 'Z'], 6),
  );
  const address = fc
    .tuple(letters([' ', '<'], 2), local, fc.constantFrom('@', '@', ''), domain, letters([' ', '>'], 2))
    .map((parts) => parts.join(''));
  const long = fc
    .constantFrom('a'.repeat(64), 'a'.repeat(65), 'a'.repeat(300))
    .map((text) => `${text}@quillmail.example`);
  const name = fc.oneof(letters(['A', 'n', ' ', '~'], 6), fc.constant('x'.repeat(1001)));
  const row = fc.tuple(
    fc.oneof(address, long),
    name,
    fc.constantFrom('', '2026-01-02', ' 2026-01-02 10:00+02:00', '2999-01-01', 'soon'),
    fc.constantFrom('', '7', 'B7'),
    fc.constantFrom('', 'board; moon'),
  );
  const plainRow = new PlainRow();
  let plainly = 0;
  fc.assert(
    fc.property(row, (cells) => {
      const bytes = Buffer.from(`${cells.join(',')}\n`);
      expect(plainRow.take(bytes, 0, ','.charCodeAt(0))).toBe(bytes.length - 1);
      const plain = readPlain(plainRow);
      if (!plain) return;
      plainly++;
      const { nameFrom, nameTo, joinedAt, details } = plain;
      const text = Buffer.from(plain.address.bytes).toString('latin1', 0, plain.address.length());
      expect({
        code: null,
        address: text,
        domain: plain.address.domain(),
        name: bytes.toString('latin1', nameFrom, nameTo) || null,
        list: null,
        joinedAt,
        ...details,
      }).toEqual(read(cells));
    }),
    { numRuns: 2000 },
  );
  expect(plainly).toBeGreaterThan(20);
});

describe('attributes with a type', () => {
  test.each([
    ['number', '-3.50', -3.5],
    ['number', '1e9', undefined],
    ['date', '2024-02-29', '2024-02-29'],
    ['date', '2026-02-29', undefined],
    ['date', '2026-01-02 10:00+02:00', '2026-01-02T08:00:00.000Z'],
    ['yes-no', 'YES', true],
    ['yes-no', '0', false],
    ['yes-no', 'perhaps', undefined],
    ['choice', 'PATRON', 'patron'],
    ['choice', 'fellow', undefined],
  ] as const)('%s: “%s” is %j', (type, text, value) => {
    expect(readAttributeValue(text, { type, choices: ['friend', 'patron'] })).toBe(value);
  });

  test('a use says name and type, or what is wrong with it', () => {
    expect(parseColumnUse('Seat No.')).toEqual({ use: 'seat_no' });
    expect(parseColumnUse('Visits: number')).toEqual({ use: 'visits', type: { type: 'number' } });
    expect(parseColumnUse('tier:choice( friend | patron |friend)')).toEqual({
      use: 'tier',
      type: { type: 'choice', choices: ['friend', 'patron'] },
    });
    expect(parseColumnUse('visits:numbr')).toMatch(/no type/);
    expect(parseColumnUse('visits:number(1|2)')).toMatch(/only a choice/);
    expect(parseColumnUse('name:text')).toMatch(/field of every contact/);
    expect(parseColumnUse('42:number')).toMatch(/needs a letter/);
  });
});

describe('outcomes of rows', () => {
  test('every outcome has a letter of its own, and words', () => {
    const letters = Object.values(OUTCOME_LETTERS);
    expect(new Set(letters).size).toBe(letters.length);
    expect(letters.every((letter) => letter.length === 1)).toBe(true);
    for (const [outcome, letter] of Object.entries(OUTCOME_LETTERS)) {
      expect(outcomeOf(letter)).toBe(outcome);
      expect(ROW_WORDS[outcome]).toMatch(/\.$/);
    }
  });

  test('are counted without their codes', () => {
    expect(countOutcomes('ccdEAls=u')).toEqual({
      created: 2,
      duplicate: 1,
      refused: 2,
      suppressed: 2,
      unchanged: 1,
      updated: 1,
    });
    expect(countOutcomes('')).toEqual({});
  });
});

test('what was made of a text is remembered, also when the bytes it stood in are others by then', () => {
  const made: string[] = [];
  const intern = makeInterned((text) => made.push(text) && text.toUpperCase());
  const bytes = Buffer.from('moon,sun');
  expect([intern(bytes, 0, 4), intern(bytes, 5, 8), intern(bytes, 0, 4)]).toEqual(['MOON', 'SUN', 'MOON']);
  bytes.fill('x');
  expect([intern(Buffer.from('moon'), 0, 4), intern(bytes, 0, 4)]).toEqual(['MOON', 'XXXX']);
  expect(made).toEqual(['moon', 'sun', 'xxxx']);
  // More than are remembered: it starts over, and goes on right.
  for (let n = 0; n < 6000; n++) expect(intern(Buffer.from(`n${n}`), 0, `n${n}`.length)).toBe(`N${n}`);
});

test('addresses that have passed are known again, with the row they stood in first, as a map would', () => {
  const address = fc
    .tuple(fc.nat(400), fc.constantFrom('a', 'b.c', 'ü'))
    .map(([n, part]) => `${part}${n}@quillmail.example`);
  fc.assert(
    fc.property(fc.array(address, { maxLength: 300 }), fc.integer(), (addresses, seed) => {
      const seen = makeSeenAddresses(seed, 10);
      const map = new Map<string, number>();
      const expected = addresses.map((one, index) => {
        const known = map.get(one);
        if (known === undefined) map.set(one, index + 1);
        return known;
      });
      // As text or as bytes is the same.
      const firstRow = (one: string, row: number): number | undefined =>
        row % 2 === 0 ? seen.firstRow(one, row) : seen.firstRowOfBytes(Buffer.from(one), Buffer.byteLength(one), row);
      expect(addresses.map((one, index) => firstRow(one, index + 1))).toEqual(expected);
    }),
  );
});

test('sixty thousand different addresses are all seen for the first time, and all known again', () => {
  const seen = makeSeenAddresses(7, 10);
  const again = { first: 0, known: 0 };
  for (let row = 1; row <= 60_000; row++) if (seen.firstRow(`r${row}@x.example`, row) === undefined) again.first++;
  for (let row = 1; row <= 60_000; row++) if (seen.firstRow(`r${row}@x.example`, 9) === row) again.known++;
  expect(again).toEqual({ first: 60_000, known: 60_000 });
});

test('a file is cut into chunks that grow from five thousand rows to the most; those that are done stand as they were cut', () => {
  const cut = (rows: number, done: ReadonlyMap<number, number>): [firstRow: number, rows: number][] => {
    const rowsFrom = planChunks(done);
    const chunks: [number, number][] = [];
    for (let first = 1; first <= rows; first += chunks.at(-1)![1]) chunks.push([first, rowsFrom(first)]);
    return chunks;
  };
  expect(cut(60_000, new Map())).toEqual([
    [1, 5_000],
    [5_001, 5_000],
    [10_001, 10_000],
    [20_001, 20_000],
    [40_001, 20_000],
  ]);
  // Chunks of any other plan, some of them done.
  const other = fc.array(fc.record({ rows: fc.integer({ min: 1, max: 30_000 }), isDone: fc.boolean() }), {
    maxLength: 12,
  });
  fc.assert(
    fc.property(other, (chunks) => {
      const done = new Map<number, number>();
      let rows = 0;
      for (const chunk of chunks) {
        if (chunk.isDone) done.set(rows + 1, chunk.rows);
        rows += chunk.rows;
      }
      const again = new Map(cut(rows, done));
      expect([...done].filter(([first, length]) => again.get(first) !== length)).toEqual([]);
      expect(
        [...again].filter(([first, length]) => !done.has(first) && (length < 1 || length > MOST_CHUNK_ROWS)),
      ).toEqual([]);
    }),
  );
});
