import { readdirSync, readFileSync } from 'node:fs';
import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { isMbox, makeMboxSplitter } from '../../src/core/returns/mbox.ts';
import { readReturn } from '../../src/core/returns/read-return.ts';

/**
 * Messages as servers of many makes and ages send them, all of them made up, each with how it has to be read; those
 * called `second-server` were written by a mail server of Debian, 2026, for made-up addresses.
 */
const FOLDER = 'test/core/returned/';

interface Expected {
  file: string;
  kind: string;
  standard: string | null;
  recipients: { address: string; class: string }[];
  token: string | null;
  message_id: string | null;
}

const EXPECTED = readFileSync(`${FOLDER}expected.jsonl`, 'utf8')
  .trim()
  .split('\n')
  .map((line) => JSON.parse(line) as Expected);

test('every message of the corpus has its reading', () => {
  expect(EXPECTED.map(({ file }) => file)).toEqual(
    readdirSync(FOLDER)
      .filter((file) => file.endsWith('.eml'))
      .sort(),
  );
});

test.each(EXPECTED)('$file is a $kind', ({ file, ...expected }) => {
  const { recipients, because, ...read } = readReturn(readFileSync(FOLDER + file));
  expect({ because, ...read, recipients }).toMatchObject({ ...expected, recipients: expected.recipients });
  expect(recipients).toHaveLength(expected.recipients.length);
  expect(because).not.toBe('');
});

test('line ends of any kind, and a line of an mbox before it, change nothing', () => {
  for (const { file } of EXPECTED.filter((one) => one.kind !== 'unknown')) {
    const text = readFileSync(FOLDER + file, 'latin1');
    const read = readReturn(Buffer.from(text, 'latin1'));
    expect(readReturn(Buffer.from(text.replaceAll('\n', '\r\n'), 'latin1'))).toEqual(read);
    expect(readReturn(Buffer.from(`From MAILER-DAEMON Mon Nov  2 09:00:04 2026\n${text}`, 'latin1'))).toEqual(read);
  }
});

test('a message of the corpus with any bytes put into it, or any piece cut out, still gives an answer', () => {
  const messages = EXPECTED.map(({ file }) => readFileSync(FOLDER + file));
  fc.assert(
    fc.property(
      fc.nat(messages.length - 1),
      fc.nat(),
      fc.nat(400),
      fc.uint8Array({ maxLength: 40 }),
      (which, place, length, bytes) => {
        const message = messages[which]!;
        const at = place % (message.length + 1);
        const read = readReturn(Buffer.concat([message.subarray(0, at), bytes, message.subarray(at + length)]));
        expect(read.because).not.toBe('');
        expect(JSON.stringify(read)).not.toMatch(/\\u0000|\\ud[89a-f]/);
      },
    ),
    { numRuns: 2000 },
  );
});

test('an mbox is taken apart at its From lines, whatever the pieces it comes in', () => {
  const messages = EXPECTED.filter((one) => one.kind !== 'unknown').map(({ file }) => readFileSync(FOLDER + file));
  const quoted = (message: Buffer): string => message.toString('latin1').replace(/^(>*From )/gm, '>$1');
  const mbox = Buffer.from(
    messages.map((message) => `From sender Mon Nov  2 09:00:04 2026\n${quoted(message)}\n\n`).join(''),
    'latin1',
  );
  expect([isMbox(mbox), isMbox(messages[0]!), isMbox(Buffer.from('From: Ada <ada@quillmail.example>\n'))]).toEqual([
    true,
    false,
    false,
  ]);
  const split = (size: number): string[] => {
    const splitter = makeMboxSplitter();
    const pieces = Array.from({ length: Math.ceil(mbox.length / size) }, (_, index) =>
      mbox.subarray(index * size, (index + 1) * size),
    );
    return [...pieces.flatMap((piece) => splitter.take(piece)), ...splitter.end()].map((one) =>
      one.toString('latin1').trimEnd(),
    );
  };
  const whole = messages.map((message) => message.toString('latin1').trimEnd());
  for (const size of [mbox.length, 4096, 77, 1]) expect(split(size)).toEqual(whole);
});

test('what no database can keep is not in a reading: a NUL, half a character made up or cut off by a limit', () => {
  const report = readFileSync(`${FOLDER}report-international.eml`, 'utf8');
  const nasty = [
    report.replace('jos\\x{E9}@', 'jos\\x{D800}@'),
    report.replace('unknown user', `${'x'.repeat(1979)}🔭🔭`).replace('5.1.1 x', 'x'),
    readFileSync(`${FOLDER}complaint-abuse.eml`, 'utf8').replace('Feedback-Type: abuse', 'Feedback-Type: ab\u0000use'),
  ];
  for (const message of nasty) expect(JSON.stringify(readReturn(message))).not.toMatch(/\\u0000|\\ud[89a-f]/);
});
