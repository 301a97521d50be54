import { connect } from 'node:net';
import { afterAll, describe, expect, test } from '@jest/globals';
import { makeCampaign, makeList, until } from '../support/service.ts';
import { startWithSink } from '../support/sink.ts';
import { followRun } from '../../src/cli/follow-run.ts';

const { service, sink, stop } = await startWithSink();
const list = await makeList(
  service.client,
  Array.from({ length: 60 }, (_, index) => `reader${index}@lanternpost.example`),
);
afterAll(stop);

const give = (text: string | Blob, fileName = 'people.csv', dryRun = false) =>
  service.client.importFile({ listId: list.id, fileName, dryRun, file: text });
const ended = async (id: number) => {
  await until(async () => ['finished', 'failed', 'cancelled'].includes((await service.client.import({ id })).state));
  return service.client.import({ id });
};

describe('a file that cannot be used is refused with what to do, and nothing is kept', () => {
  test.each<[string, string | Blob, RegExp]>([
    ['empty', '', /people\.csv is empty/],
    ['no text', new Blob([new Uint8Array([0x50, 0x4b, 3, 4, 1, 2, 0, 0])]), /not a text file\. Save the table as CSV/],
    [
      'no address column',
      'name,seat\nAda,A1',
      /no column of addresses\. Its columns are: name, seat\. .*--map "COLUMN=address"/,
    ],
    ['a letter', 'Dear all,\nwe are closed on Monday.\n', /no column of addresses/],
  ])('%s', async (_, file, detail) => {
    await expect(give(file)).rejects.toMatchObject({
      problem: { status: 422, detail: expect.stringMatching(detail) as unknown },
    });
  });

  test('a header and no rows', async () => {
    expect(await ended((await give('address,name\n')).id)).toMatchObject({
      state: 'failed',
      problem: { detail: 'people.csv has a header and no rows.' },
    });
  });

  test('a mapping to a column that is not there', async () => {
    const request = { listId: list.id, fileName: 'people.csv', map: JSON.stringify({ Mail: 'address' }) };
    await expect(service.client.importFile({ ...request, file: 'E-Mail,Name\na@x.example,A' })).rejects.toMatchObject({
      problem: { detail: expect.stringMatching(/no column “Mail”\. Its columns are: E-Mail, Name/) as unknown },
    });
  });
});

describe('a file with bad parts keeps its good ones, and every row has an outcome', () => {
  test('NUL bytes, a line of ten megabytes, 300 columns, a quotation mark that never closes, a file cut off', async () => {
    const wide = Array.from({ length: 299 }, (_, index) => `c${index}`);
    const rows = [
      ['address', ...wide].join(','),
      ['ida@quillmail.example', ...wide.map((_, index) => (index === 0 ? 'a\u0000b' : 'x'))].join(','),
      `x${'y'.repeat(10 * 1024 * 1024)}`,
      ['noa@quillmail.example', ...wide].join(','),
      `"never closed,${wide.join(',')}`,
      ['uma@quillmail.example', ...wide].join(','),
      'cut@quillmail.exam',
    ];
    const done = await ended((await give(rows.join('\n'))).id);
    expect(done).toMatchObject({ state: 'finished', rowsExpected: 6, counts: { created: 3, refused: 3 } });
    const ida = (await service.client.check({ address: 'ida@quillmail.example' })).contact!;
    expect(await service.client.contact({ id: ida.id })).toMatchObject({ attributes: { c0: 'ab', c1: 'x' } });
  });

  test('a hundred thousand times the same row is one contact', async () => {
    const rows = Array.from({ length: 100_000 }, () => 'eli@quillmail.example,Eli');
    const done = await ended((await give(['address,name', ...rows].join('\n'))).id);
    expect(done.counts).toEqual({ created: 1, duplicate: 99_999 });
  });

  test('a file of 200 MB is taken in streams: every row has its outcome, and the service stays small', async () => {
    const filler = 'z'.repeat(4000);
    const rows = 50_000;
    const pieces = Array.from({ length: 50 }, (_, piece) =>
      Array.from({ length: rows / 50 }, (_, index) => `big${piece * 1000 + index}@quillmail.example,${filler}\n`).join(
        '',
      ),
    );
    const done = await ended((await give(new Blob(['address,story\n', ...pieces]), 'big.csv', true)).id);
    expect(done).toMatchObject({ state: 'finished', counts: { created: rows }, rowsExpected: rows });
    expect(done.bytes).toBeGreaterThan(200_000_000);
    expect((await service.client.contacts({ brandId: list.brandId, part: 'big1', limit: 1 })).total).toBe(0);
  }, 90_000);
});

test('an import is cancelled: what came in stays, its run is undone, and nothing more comes in', async () => {
  const rows = Array.from({ length: 200_000 }, (_, index) => `many${index}@quillmail.example`);
  const { id } = await give(['address', ...rows].join('\n'));
  await until(async () => (await service.client.import({ id })).rowsDone > 0);
  const cancelled = await service.client.cancelImport({ id });
  expect(cancelled.state).toBe('cancelled');
  const count = async () =>
    (await service.client.contacts({ brandId: list.brandId, part: 'many', listId: list.id, limit: 1 })).total;
  await until(async () => (await service.client.run({ id: cancelled.runId! })).finishedAt !== null);
  const { rowsDone } = await service.client.import({ id });
  expect(rowsDone).toBeLessThan(200_000);
  expect(await count()).toBe(rowsDone);
  const undone = await followRun(
    service.client,
    await service.client.undoRun({ id: cancelled.runId!, reason: 'wrong file' }),
  );
  expect(undone).toMatchObject({ counts: { restored: rowsDone, leftAlone: 0 }, done: undone.whole });
  expect(await count()).toBe(0);
  await expect(
    service.client.cancelImport({ id: (await give('address\nzoe@quillmail.example')).id }).then(() => ended(id)),
  ).resolves.toBeDefined();
});

describe('sending', () => {
  test('a slow relay slows the send and nothing else; a pause in the middle holds, and what is left goes on from there', async () => {
    sink.behaviour.delayMs = 400;
    const id = await makeCampaign(service.client, list, 'Slow');
    const { willGet } = await service.client.preflight({ id });
    await service.client.startCampaign({ id, expect: willGet });
    await until(async () => (await service.client.report({ id })).ledger.accepted >= 8);
    await service.client.pauseCampaign({ id, reason: 'a word too many' });
    await until(async () => (await service.client.report({ id })).ledger.onTheirWay === 0);
    const held = await service.client.report({ id });
    expect(held).toMatchObject({ state: 'paused', pausedBecause: 'a word too many' });
    expect(held.ledger.waiting).toBeGreaterThan(0);
    const taken = sink.received.length;
    expect(held.ledger.accepted).toBe(taken);
    // Whatever else is done meanwhile, nothing leaves a paused campaign.
    await service.client.addEntries({
      id: (await service.client.createSuppressionList({ name: 'While paused' })).id,
      values: ['reader59@lanternpost.example'],
      reason: 'asked',
    });
    await service.client.check({ address: 'reader1@lanternpost.example' });
    expect(sink.received.length).toBe(taken);
    sink.behaviour.delayMs = 0;
    await service.client.resumeCampaign({ id });
    await until(async () => (await service.client.report({ id })).state === 'finished');
    const { ledger } = await service.client.report({ id });
    expect(ledger).toMatchObject({ waiting: 0, uncertain: 0, refused: 0 });
    expect(ledger.accepted + ledger.heldBack).toBe(willGet);
    expect(new Set(sink.received.map((message) => message.to)).size).toBe(sink.received.length);
    expect(sink.received.some((message) => message.to === 'reader59@lanternpost.example')).toBe(false);
  });

  test('a relay that refuses everything: every recipient is told apart, and the campaign ends', async () => {
    sink.behaviour.rcpt = () => ({ code: 554, message: '5.7.1 listed, go away' });
    const id = await makeCampaign(service.client, list, 'Refused');
    const { willGet } = await service.client.preflight({ id });
    await service.client.startCampaign({ id, expect: willGet });
    await until(async () => (await service.client.report({ id })).state === 'finished');
    const report = await service.client.report({ id });
    expect(report.ledger).toMatchObject({ accepted: 0, refused: willGet });
    // They refuse us, not the people: nobody is marked.
    sink.behaviour.rcpt = undefined;
    expect(await service.client.preflight({ id: await makeCampaign(service.client, list, 'After') })).toMatchObject({
      willGet,
    });
  });
});

test('the intake answers what it cannot take in words of its protocol, and goes on', async () => {
  const talk = (lines: string[]): Promise<string> =>
    new Promise((resolve, reject) => {
      const socket = connect(service.intakePort, '127.0.0.1');
      let said = '';
      socket.setTimeout(5000, () => socket.destroy());
      socket.on('data', (chunk) => {
        said += chunk.toString();
        const next = lines.shift();
        if (next !== undefined) socket.write(`${next}\r\n`);
        else socket.end();
      });
      socket.on('close', () => resolve(said));
      socket.on('error', reject);
    });
  expect(await talk(['EHLO x', 'BDAT \u0000\u0001', 'RCPT TO:<>', 'QUIT'])).toMatch(/^50\d /m);
  expect(await talk(['EHLO x', 'QUIT'])).toMatch(/^221/m);
});
