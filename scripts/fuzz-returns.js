#!/usr/bin/env node
/**
 * Looks for messages that the reader of returns fails on or is slow at, led by coverage: a message that reaches code which
 * none before has reached is kept and changed further. Run by hand after `npm run build:service`:
 *
 *   node scripts/fuzz-returns.js [seconds] [seed]
 *
 * What it finds is written to the folder `fuzz-found`, one file each; put what is worth keeping into test/core/returned or
 * test/support/hostile-returns.ts. Ends with 1 if there was any.
 */
import { mkdirSync, readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { Session } from 'node:inspector/promises';
import { readReturns } from '../dist/core/returns/read-return.js';

const [seconds, seed] = [Number(process.argv[2] ?? 60), Number(process.argv[3] ?? 1)];
/** No message of up to 4 MB may take longer. Counting what is reached makes it slower than it is, so this errs on the safe side. */
const LIMIT_MS = 300;
const FULL = 4 * 1024 * 1024;

let state = seed >>> 0;
/** A whole number below this (mulberry32). */
function below(most) {
  state = (state + 0x6d2b79f5) >>> 0;
  let mixed = Math.imul(state ^ (state >>> 15), state | 1);
  mixed ^= mixed + Math.imul(mixed ^ (mixed >>> 7), mixed | 61);
  return ((mixed ^ (mixed >>> 14)) >>> 0) % most;
}
const oneOf = (all) => all[below(all.length)];

const FOLDER = 'test/core/returned/';
const corpus = readdirSync(FOLDER)
  .filter((file) => file.endsWith('.eml'))
  .map((file) => readFileSync(FOLDER + file));
const PIECES = [
  '\r\n\r\n',
  '\n--',
  '=?utf-8?b?',
  '?=',
  '(',
  ')',
  '"',
  '<',
  '>',
  '@',
  ':',
  ';',
  'boundary=',
  '\0',
  '\xff',
  '\\303',
  '5.1.1',
  '550 ',
  'rfc822;',
  'Content-Type: ',
  'base64',
  '\u{d83d}',
];

const MUTATIONS = [
  (message) =>
    Buffer.concat([
      message.subarray(0, below(message.length + 1)),
      Buffer.from(oneOf(PIECES), 'latin1'),
      message.subarray(below(message.length + 1)),
    ]),
  (message) => {
    const changed = Buffer.from(message);
    for (let times = 1 + below(8); times > 0 && changed.length > 0; times--)
      changed[below(changed.length)] = below(256);
    return changed;
  },
  (message) => {
    const other = oneOf(corpus);
    return Buffer.concat([message.subarray(0, below(message.length + 1)), other.subarray(below(other.length + 1))]);
  },
  (message) => {
    const at = below(message.length + 1);
    const piece = message.subarray(at, at + 1 + below(200));
    const size = oneOf([4096, 65_536, FULL]);
    return piece.length === 0
      ? message
      : Buffer.concat([message.subarray(0, at), Buffer.alloc(size, piece), message.subarray(at)]);
  },
];

const inspector = new Session();
inspector.connect();
await inspector.post('Profiler.enable');
await inspector.post('Profiler.startPreciseCoverage', { callCount: true, detailed: true });

const reached = new Set();
/** Whether a block of the reader's code was run so often (by powers of two) as never before. */
async function reachesNew() {
  const { result } = await inspector.post('Profiler.takePreciseCoverage');
  let fresh = false;
  for (const { url, functions } of result) {
    if (!url.includes('/core/')) continue;
    for (const { ranges } of functions)
      for (const { startOffset, endOffset, count } of ranges) {
        const key = `${url} ${startOffset} ${endOffset} ${count === 0 ? 0 : Math.ceil(Math.log2(count + 1))}`;
        if (count > 0 && !reached.has(key)) fresh = Boolean(reached.add(key));
      }
  }
  return fresh;
}

const found = [];
function keep(message, why) {
  mkdirSync('fuzz-found', { recursive: true });
  const file = `fuzz-found/${found.length + 1}.eml`;
  writeFileSync(file, message);
  found.push(file);
  console.log(`${file}: ${why}`);
}

function read(message) {
  const begun = performance.now();
  const { readings } = readReturns(message, ['', `u.${'a'.repeat(39)}@returns.larkfield.example`]);
  const took = performance.now() - begun;
  if (/\\u0000|\\ud[89a-f]/.test(JSON.stringify(readings))) throw new Error('a reading that no database can keep');
  return took;
}

let runs = 0;
let slowest = 0;
const end = Date.now() + seconds * 1000;
while (Date.now() < end) {
  let message = oneOf(corpus);
  for (let times = 1 + below(3); times > 0; times--) message = oneOf(MUTATIONS)(message);
  message = message.subarray(0, FULL + 1000);
  runs++;
  try {
    let took = read(message);
    if (took > LIMIT_MS) took = Math.min(took, read(message), read(message));
    slowest = Math.max(slowest, took);
    if (took > LIMIT_MS) keep(message, `${Math.round(took)} ms for ${message.length} bytes`);
  } catch (error) {
    keep(message, error.stack);
  }
  // Large ones are looked at for their time alone: kept, they would be all that is changed further.
  if ((await reachesNew()) && message.length < 100_000) corpus.push(message);
}
console.log(
  `${runs} messages in ${seconds} s, seed ${seed}: ${corpus.length} kept for new ways through the code, ${reached.size} counts reached, the slowest ${Math.round(slowest)} ms, ${found.length} found`,
);
process.exit(found.length > 0 ? 1 : 0);
