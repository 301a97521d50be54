import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { once } from 'node:events';
import { createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { parse } from 'csv-parse/sync';
import type { ScoreRule } from '../../src/shared/contract/rules.ts';
import { makeAvendel } from '../support/cli.ts';
import { startRealService, type Running } from '../support/service.ts';
import { startSink } from '../support/sink.ts';

let service: Running;
let sink: Awaited<ReturnType<typeof startSink>>;
let avendel: ReturnType<typeof makeAvendel>;
const folder = mkdtempSync(join(tmpdir(), 'avendel-'));
const file = (name: string, text: string): string => {
  writeFileSync(join(folder, name), text);
  return join(folder, name);
};
const done = async (...args: string[]): Promise<string> => {
  const said = await avendel(...args);
  expect([args.join(' '), said.code, said.stderr.replace(/[\s\S]*\r/, '')]).toEqual([
    args.join(' '),
    0,
    expect.any(String),
  ]);
  return said.stdout;
};
const json = async <T>(...args: string[]): Promise<T> => JSON.parse(await done(...args, '--json')) as T;

beforeAll(async () => {
  service = await startRealService();
  sink = await startSink(service.relayPort, {
    rcpt: (address) => (address.startsWith('gone') ? { code: 550, message: '5.1.1 no such user' } : undefined),
  });
  avendel = makeAvendel(service);
});
afterAll(async () => {
  await service.stop();
  await sink.close();
});

describe('the whole loop by command line alone', () => {
  test('a brand and lists, created and listed', async () => {
    await done(
      'brands',
      'create',
      'Larkfield Observatory',
      '--from',
      'digest@larkfield.example',
      '--return-domain',
      'returns.larkfield.example',
    );
    await done('lists', 'create', 'Night Digest', '--brand', 'Larkfield Observatory');
    await done('lists', 'create', 'Members’ Letter', '--brand', 'Larkfield Observatory', '--double');
    expect(await done('brands', 'edit', 'Larkfield Observatory', '--zone', 'Europe/London')).toMatch(
      /sends as digest@larkfield\.example.*Europe\/London/,
    );
    expect(await avendel('brands', 'edit', 'Larkfield Observatory', '--zone', 'Mars/Olympus')).toMatchObject({
      code: 2,
      stderr: expect.stringMatching(/must be an IANA time zone/) as unknown,
    });
    expect(await done('brands', 'list')).toMatch(/Larkfield Observatory +digest@larkfield\.example/);
    expect(await json<{ name: string; optIn: string }[]>('lists', 'list')).toMatchObject([
      { name: 'Night Digest', optIn: 'single' },
      { name: 'Members’ Letter', optIn: 'double' },
    ]);
    expect(await avendel('lists', 'create', 'Night Digest', '--brand', 'Larkfield Observatory')).toMatchObject({
      code: 1,
      stderr: expect.stringMatching(/This brand has a list “Night Digest”/) as unknown,
    });
  });

  test('a suppression list of one’s own: entries by hand and from a file, listed, lifted, exported', async () => {
    await done('suppression', 'create', 'Do not write', '--reach', 'everything');
    await done('suppression', 'add', 'Do not write', 'stop@lanternpost.example', '--reason', 'asked by letter');
    const csv = file('stop.csv', 'address\nben@lanternpost.example\nnot an entry\n.campusnet.example\n');
    const imported = await avendel('suppression', 'import', 'Do not write', csv, '--reason', 'from the old system');
    expect(imported.code).toBe(3);
    expect(imported.stdout + imported.stderr).toMatch(/not an entry/);
    const entries = await json<{ id: number; value: string }[]>('suppression', 'entries', 'Do not write');
    expect(entries.map((entry) => entry.value).sort()).toEqual([
      '.campusnet.example',
      'ben@lanternpost.example',
      'stop@lanternpost.example',
    ]);
    const ben = entries.find((entry) => entry.value.startsWith('ben'))!;
    await done('suppression', 'lift', String(ben.id), '--reason', 'came back');
    expect((await avendel('suppression', 'lift', String(ben.id), '--reason', 'again')).code).toBe(1);
    const exported = join(folder, 'entries.csv');
    await done('suppression', 'export', 'Do not write', '--file', exported);
    const rows: Record<string, string>[] = parse(readFileSync(exported, 'utf8'), { columns: true });
    expect(rows.find((row) => row['entry'] === ben.value)).toMatchObject({
      lifted_by: 'Rosa Lindgard',
      lift_reason: 'came back',
    });
    expect(await done('suppression', 'lists')).toMatch(/Do not write.*everything/);
  });

  test('an import with all kinds of rows: dry run, the real one, its result file and one outcome alone', async () => {
    const rows = [
      'address;name;seat',
      'ada@lanternpost.example;"Ada; Lind";A1',
      'ADA@lanternpost.example;;',
      'gone@lanternpost.example;Gil;',
      'stop@lanternpost.example;Stu;',
      'x@labs.campusnet.example;Xi;',
      'nonsense;;',
      '=ben@lanternpost.example;=1+1;',
    ];
    const csv = file('people.csv', rows.join('\n'));
    const dry = await avendel('contacts', 'import', csv, '--list', 'Night Digest', '--dry-run');
    expect(dry.stdout).toMatch(/7 rows, dry run: nothing was changed/);
    expect(await json<unknown[]>('contacts', 'list', '--part', 'lanternpost')).toEqual([]);
    const results = join(folder, 'results.csv');
    const real = await avendel('contacts', 'import', csv, '--list', 'Night Digest', '--results', results);
    expect(await done('lists', 'list')).toMatch(/Night Digest .* single +3 +0\n/);
    expect(real.code).toBe(3);
    expect(real.stdout).toMatch(/7 rows, import \d+, finished[^]*Undo: avendel runs undo \d+/);
    expect(parse(readFileSync(results, 'utf8'), { delimiter: ',' }).map((row: string[]) => row.slice(3, 6))).toEqual([
      ['row', 'outcome', 'code'],
      ['1', 'created', ''],
      ['2', 'duplicate', ''],
      ['3', 'created', ''],
      ['4', 'suppressed', ''],
      ['5', 'suppressed', ''],
      ['6', 'refused', 'no-at-sign'],
      ['7', 'created', ''],
    ]);
    // A spreadsheet would run what begins with an equals sign.
    expect(readFileSync(results, 'utf8')).toMatch(/'=ben@lanternpost\.example,'=1\+1/);
    const [latest] = await json<{ id: number }[]>('imports', 'list');
    expect(await done('imports', 'results', String(latest!.id), '--only', 'refused')).toMatch(
      /nonsense.*needs a name, an @ and a domain/,
    );
    expect(await done('imports', 'show', String(latest!.id))).toMatch(/created +3/);
    const [run] = await json<{ id: number; kind: string }[]>('runs', 'list');
    expect(run).toMatchObject({ kind: 'import' });
    const one = await avendel('runs', 'list', '--limit', '1', '--json');
    expect([(JSON.parse(one.stdout) as unknown[]).length, one.stderr]).toEqual([
      1,
      expect.stringMatching(/^The next page: --cursor \S+\n$/),
    ]);
    expect(
      await json<{ id: number }[]>('runs', 'list', '--limit', '1', '--cursor', one.stderr.trim().split(' ').pop()!),
    ).not.toEqual([run]);
    const shown = await json<{ id: number; contacts: number }[]>('runs', 'show', String(run!.id));
    expect(shown).toMatchObject([{ contacts: 3 }]);
    expect(await done('runs', 'contacts', String(shown[0]!.id))).toMatch(/ada@lanternpost\.example/);
    const known = await avendel(
      'contacts',
      'import',
      file('known.csv', rows.slice(0, 2).join('\n')),
      '--list',
      'Night Digest',
    );
    expect([known.code, known.stdout]).toEqual([0, expect.not.stringContaining('Undo')]);
  });

  test('a contact is found by part, list and mark, shown with verdict and time line, and checked', async () => {
    expect(await done('contacts', 'list', '--list', 'Night Digest', '--part', 'ada')).toMatch(
      /ada@lanternpost\.example +Ada; Lind/,
    );
    expect(await done('contacts', 'show', 'Ada@Lanternpost.example')).toMatch(/Night Digest/);
    expect(await done('contacts', 'check', 'stop@lanternpost.example')).toMatch(/suppressed[\s\S]*asked by letter/);
    expect(await done('contacts', 'show', 'nobody@lanternpost.example')).toMatch(/is no contact of ours/);
    expect((await avendel('contacts', 'list', '--deliverability', 'fine')).code).not.toBe(0);
  });

  test('contacts are exported with chosen columns, for a spreadsheet that takes nothing for a formula, and for programs', async () => {
    const csv = join(folder, 'contacts.csv');
    await done('contacts', 'export', '--list', 'Night Digest', '--columns', 'address,name,seat,lists', '--file', csv);
    expect(parse(readFileSync(csv, 'utf8'))).toEqual([
      ['address', 'name', 'seat', 'lists'],
      ['ada@lanternpost.example', 'Ada; Lind', 'A1', 'Night Digest'],
      ['gone@lanternpost.example', 'Gil', '', 'Night Digest'],
      ["'=ben@lanternpost.example", "'=1+1", '', 'Night Digest'],
    ]);
    const lines = (await done('contacts', 'export', '--part', 'ada', '--format', 'jsonl')).trim().split('\n');
    expect(lines.map((line) => JSON.parse(line) as unknown)).toMatchObject([
      { address: 'ada@lanternpost.example', stage: 'new', lists: ['Night Digest'], archived_at: null },
    ]);
    expect((await avendel('contacts', 'export', '--columns', ',')).code).toBe(2);
  });

  test('archiving and erasing ask for what they expect, and the erased stay out', async () => {
    const dry = await avendel('contacts', 'archive', 'x@labs.campusnet.example', 'nobody@x.example');
    expect(dry).toMatchObject({
      code: 2,
      stdout: expect.stringMatching(/^1 would be archived[\s\S]*nobody@x\.example/) as unknown,
      stderr: expect.stringMatching(/--expect 1/) as unknown,
    });
    await done('contacts', 'archive', 'x@labs.campusnet.example', '--expect', '1', '--reason', 'cannot be written to');
    expect(await done('contacts', 'restore', '--archived', '--expect', '1', '--reason', 'a mistake')).toMatch(
      /1 restored/,
    );
    expect(
      (await avendel('contacts', 'erase', 'x@labs.campusnet.example', '--expect', '7', '--reason', 'asked')).code,
    ).toBe(1);
    expect(await done('contacts', 'erase', 'x@labs.campusnet.example', '--expect', '1', '--reason', 'asked')).toMatch(
      /cannot be undone/,
    );
    const again = await avendel(
      'contacts',
      'import',
      file('back.csv', 'address\nX@labs.campusnet.example'),
      '--list',
      'Night Digest',
    );
    expect(again.code).toBe(3);
    expect(again.stdout).toMatch(/refused +1/);
    const ladder = file('ladder.json', JSON.stringify({ currency: 'EUR', steps: [{ from: 0, month: 9 }] }));
    expect(await done('contacts', 'cost', '--ladder', ladder)).toMatch(/Count now +\d+ +9\.00 EUR/);
  });

  test('addresses are checked before they are taken in: what is wrong, what was probably meant, what is known', async () => {
    const crowd = Array.from({ length: 40 }, (_, index) => `guest${index}@hearthmail.example`);
    await done('contacts', 'import', file('crowd.csv', ['address', ...crowd].join('\n')), '--list', 'Members’ Letter');
    const sent = crowd.map((address, index) =>
      JSON.stringify({
        kind: 'sent',
        at: '2026-11-01T10:00:00Z',
        address,
        brandId: 1,
        source: 'old system',
        externalId: String(index),
      }),
    );
    await done('events', 'import', file('sent.jsonl', sent.join('\n')));
    const checked = await avendel(
      'addresses',
      'check',
      'ana@hearthmial.example',
      'stop@lanternpost.example',
      'info@quillmail.example',
      'guest1@hearthmail.example',
      'no address',
      '--json',
    );
    expect(checked.code).toBe(3);
    expect(JSON.parse(checked.stdout)).toMatchObject([
      {
        verdict: 'hold',
        findings: [
          {
            code: 'look-alike-domain',
            proposal: 'ana@hearthmail.example',
            text: 'No contact is at hearthmial.example; 40 at hearthmail.example, 100 % delivered.',
          },
        ],
      },
      {
        verdict: 'suppressed',
        findings: [{ code: 'suppressed', text: 'It stands on “Do not write”.' }, { code: 'known' }],
      },
      { verdict: 'fine', findings: [{ code: 'role-name' }] },
      { verdict: 'fine', findings: [{ code: 'known' }] },
      { verdict: 'refuse', address: null, findings: [{ code: 'no-at-sign' }] },
    ]);
    expect((await avendel('addresses', 'check')).code).toBe(2);

    // The sign-up page asks who makes such a slip, once, and keeps nothing before they say.
    const { signUpUrl } = (await service.client.lists()).find(({ name }) => name === 'Members’ Letter')!;
    const fill = async (fields: Record<string, string>): Promise<string> =>
      (await fetch(signUpUrl, { method: 'POST', body: new URLSearchParams(fields) })).text();
    const asked = await fill({ address: 'Ana@hearthmial.example', name: 'Ana "Lind"' });
    expect(asked).toMatch(
      /value="ana@hearthmail\.example"[\s\S]*value="Ana &#34;Lind&#34;"[\s\S]*I mean ana@hearthmail\.example/,
    );
    expect((await service.client.check({ address: 'ana@hearthmial.example' })).contact).toBeNull();
    expect(await fill({ address: 'ana@hearthmail.example', sure: 'yes' })).toContain('Look into your mailbox');
  });

  test('segments: kept, counted by part, explained; a condition that cannot be read is marked at its place', async () => {
    const brand = ['--brand', (await service.client.brands())[0]!.name];
    await done('segments', 'create', 'Crowd', '--where', 'domain is "hearthmail.example" AND sent', ...brand);
    expect(await done('segments', 'count', 'Crowd')).toMatch(
      /^40 of \d+ match[\s\S]*· domain is "hearthmail\.example" +41 +41\n· and sent +40 +40/,
    );
    expect(await done('segments', 'explain', 'guest1@hearthmail.example', 'Crowd')).toMatch(
      /is in: domain is “hearthmail.example”; last sent \d+ days ago/,
    );
    expect(await avendel('segments', 'explain', 'ada@lanternpost.example', 'Crowd')).toMatchObject({
      code: 1,
      stdout: expect.stringMatching(/is out: domain is “lanternpost\.example”/) as unknown,
    });
    expect(await avendel('segments', 'count', '--where', 'opened and on list "Nigth"', ...brand)).toMatchObject({
      code: 2,
      stderr: 'opened and on list "Nigth"\n           ^^^^^^^^^^^^^^^\nThere is no list “Nigth”.\n',
    });
    expect((await done('segments', 'export', 'Crowd')).trim().split('\n')).toHaveLength(41);
    expect((await avendel('segments', 'format', '--where', '(Opened AND clicked) OR archived')).stdout).toBe(
      '(opened and clicked) or archived\n',
    );
    expect((await avendel('segments', 'format', '--where', 'opened and clicked or archived')).code).toBe(2);
    await done('segments', 'change', 'Crowd', '--where', 'never sent', '--reason', 'the others');
    expect(await done('segments', 'show', 'Crowd')).toMatch(/never sent[\s\S]*2 .*the others[\s\S]*1 .*made/);
    await done('segments', 'delete', 'Crowd');
  });

  test('a list is reconciled both ways, and its answer saved', async () => {
    const csv = file('theirs.csv', 'E-Mail\nADA@lanternpost.example\nnobody@x.example\n?');
    const said = await done('contacts', 'reconcile', csv);
    expect(said).toMatch(/theirs\.csv: 3 rows, 1 is neither[\s\S]*1 is in the base, 1 is not[\s\S]*1 is on the list/);
    const id = /reconciled (\d+)/.exec(said)![1]!;
    expect(await done('contacts', 'reconciled', id, '--found')).toMatch(
      /ADA@lanternpost\.example +ada@lanternpost\.example +Ada; Lind +subscribed/,
    );
    const answer = join(folder, 'answer.csv');
    await done('contacts', 'reconciled', id, '--missing', '--file', answer);
    expect(parse(readFileSync(answer, 'utf8'))).toHaveLength(2);
    expect(await done('contacts', 'reconciled', id, '--no-address')).toMatch(/\n\?\s/);
    // Whom we do not have: kept out for good, or read into a dry run.
    await done('suppression', 'create', 'Not ours');
    const suppress = ['contacts', 'suppress-missing', id, '--onto', 'Not ours'];
    expect(await done(...suppress, '--dry-run')).toBe(
      '1 of the rows of theirs.csv is not in the base, and would be put on Not ours.\n',
    );
    expect(await avendel(...suppress)).toMatchObject({
      code: 2,
      stderr: expect.stringContaining('--expect 1') as unknown,
    });
    const suppressed = await done(...suppress, '--expect', '1', '--reason', 'not ours');
    expect(suppressed).toMatch(/^1 entered.*, run \d+\.\nUndo: avendel runs undo/);
    await done('runs', 'undo', /run (\d+)/.exec(suppressed)![1]!, '--reason', 'a slip');
    expect(await done('contacts', 'import-missing', id, '--list', 'Night Digest')).toMatch(/created +1/);
    const withColumns = await done(
      'contacts',
      'reconcile',
      file('seats.csv', 'Seat,E-Mail\nB7,ada@lanternpost.example'),
    );
    expect(await done('contacts', 'reconciled', /reconciled (\d+)/.exec(withColumns)![1]!)).toMatch(
      /Stands +their Seat\n[\s\S]*subscribed +B7/,
    );
    expect((await avendel('contacts', 'archive', '--on-list', id, '--dry-run')).stdout).toMatch(/^1 would be archived/);
  });

  test('a campaign: created, previewed, preflighted, sent and watched, reported; the bounce holds back in the next', async () => {
    const html = file(
      'sky.html',
      '<p>Dear [[first_name else "stargazer"]], <a href="https://larkfield.example/sky">the sky</a></p>',
    );
    const draft = ['--subject', 'The sky', '--html', html, '--list', 'Night Digest'];
    await done('campaigns', 'create', 'The sky', ...draft);
    expect((await avendel('campaigns', 'create', 'The sky', ...draft)).code).toBe(1);
    await done('campaigns', 'edit', 'The sky', '--subject', 'The December sky');
    expect(await done('campaigns', 'preview', 'The sky', '--for', 'ada@lanternpost.example')).toMatch(
      /The December sky[\s\S]*Dear Ada;/,
    );
    expect(await json('campaigns', 'preflight', 'The sky')).toMatchObject({ audience: 3, willGet: 3, heldBack: 0 });
    expect(await avendel('campaigns', 'send', 'The sky', '--expect', '900')).toMatchObject({
      code: 1,
      stderr: expect.stringMatching(/900[\s\S]*3/) as unknown,
    });
    await done('campaigns', 'send', 'The sky', '--expect', '3', '--watch');
    expect(await json('campaigns', 'report', 'The sky')).toMatchObject({
      state: 'finished',
      ledger: { accepted: 2, refused: 1, heldBack: 0 },
    });
    expect(await done('campaigns', 'recipients', 'The sky', '--acted', 'bounced', '--actor', 'hard')).toMatch(
      /gone@lanternpost\.example/,
    );
    await done('campaigns', 'create', 'The next sky', ...draft);
    expect(await json('campaigns', 'preflight', 'The next sky')).toMatchObject({
      willGet: 2,
      reasons: [{ reason: 'undeliverable', contacts: 1 }],
    });
    expect(await done('campaigns', 'held-back', 'The next sky', '--reason', 'undeliverable')).toMatch(
      /gone@lanternpost\.example/,
    );
    expect(await done('campaigns', 'list', '--state', 'finished')).not.toMatch(/The next sky/);
    const today = await done('today', '--brand', 'Larkfield Observatory');
    expect(today).toMatch(/Since yesterday: .*1 address became undeliverable/);
    // What is nought is left out.
    expect(today).not.toMatch(/\b0 (people|addresses|contacts|replies|returns|hard)/);
    await done('campaigns', 'create', 'Never sent', ...draft);
    expect(await done('campaigns', 'delete', 'Never sent')).toMatch(/“Never sent” is deleted/);
    expect(await done('campaigns', 'list')).not.toMatch(/Never sent/);
    expect((await avendel('campaigns', 'delete', 'The sky')).stderr).toMatch(/finished; only a draft can be deleted/);
    expect(await done('campaigns', 'report', 'The next sky')).toMatch(/is a draft: nothing of it has left/);
    expect(await done('campaigns', 'show', 'The sky')).toMatch(
      /finished\nSubject: The December sky\nGoes to the list “Night Digest”\nLeaves out nobody\n/,
    );
    const copy = await json<{ id: number; state: string; subject: string }>(
      'campaigns',
      'copy',
      'The sky',
      'The January sky',
    );
    expect(copy).toMatchObject({ state: 'draft', subject: 'The December sky' });
    expect(await json('campaigns', 'preflight', String(copy.id))).toMatchObject({ audience: 3, willGet: 2 });
    expect((await avendel('campaigns', 'copy', 'The sky', 'The sky')).code).toBe(1);
    await done('campaigns', 'cancel', 'The next sky');
    expect((await avendel('campaigns', 'resume', 'The next sky')).code).toBe(1);
  });

  test('rules: shown, tried from a file, applied with what was expected, and the run undone', async () => {
    const { rule } = await json<{ rule: { withinDays: number; count: number } }>('rules', 'show', 'bounce');
    expect(rule).toMatchObject({ count: 3, withinDays: 45 });
    const tried = file('bounce.json', JSON.stringify({ ...rule, count: 2 }));
    expect(await done('rules', 'preview', 'bounce', '--rule', tried)).toMatch(/0/);
    await done('rules', 'apply', 'bounce', '--rule', tried, '--expect', '0', '--reason', 'stricter');
    expect((await json<{ rule: { count: number } }>('rules', 'show', 'bounce')).rule.count).toBe(2);
    expect(
      (await avendel('rules', 'apply', 'bounce', '--rule', file('broken.json', '{'), '--expect', '0', '--reason', 'x'))
        .code,
    ).not.toBe(0);
    expect(await done('rules', 'preview', 'sunset', '--brand', 'Larkfield Observatory')).toMatch(/0/);
  });

  test('a score: shown, tried from what was shown, kept with why, asked for by a condition at once', async () => {
    const brand = ['--brand', 'Larkfield Observatory'];
    const shown = JSON.parse(await done('rules', 'show', 'score', ...brand, '--json')) as { rule: ScoreRule };
    const changed = file(
      'score.json',
      JSON.stringify({ ...shown, rule: { ...shown.rule, joining: { points: 40, days: 3650 } } }),
    );
    const everybody = (await json<{ matching: number }>('segments', 'count', ...brand, '--where', 'everyone')).matching;
    expect(await done('rules', 'preview', 'score', ...brand, '--rule', changed)).toMatch(
      new RegExp(`30\\s+0\\s+${everybody}\n`),
    );
    expect(
      (await json<{ matching: number }>('segments', 'count', ...brand, '--where', 'score is at least 40')).matching,
    ).toBe(0);
    await done('rules', 'keep', 'score', ...brand, '--rule', changed, '--reason', 'joining says most');
    expect(
      (await json<{ matching: number }>('segments', 'count', ...brand, '--where', 'score is at least 40')).matching,
    ).toBe(everybody);
    expect(await done('rules', 'show', 'score', ...brand, '--versions')).toMatch(/^version 1, .*: joining says most/);
    expect(
      (await avendel('rules', 'keep', 'score', ...brand, '--rule', file('broken.json', '{'), '--reason', 'x')).code,
    ).toBe(2);
    expect((await avendel('rules', 'keep', 'bounce', '--rule', changed, '--reason', 'x')).stderr).toContain(
      'rules apply bounce',
    );
    expect((await avendel('rules', 'apply', 'score', ...brand, '--expect', '0', '--reason', 'x')).stderr).toContain(
      'A score moves nobody',
    );
    const runs = await json<{ id: number; counts: { created?: number } }[]>('runs', 'list');
    const run = runs.find(({ counts }) => counts.created === 3)!;
    expect(await done('runs', 'undo', String(run.id), '--reason', 'wrong list')).toMatch(/3 put back, 0 left/);
    expect(await avendel('runs', 'undo', String(run.id), '--reason', 'again')).toMatchObject({
      code: 1,
      stderr: expect.stringMatching(/was undone by run/) as unknown,
    });
    expect(await done('contacts', 'check', 'ada@lanternpost.example')).toMatch(/no-permission/);
  });

  test('events of another system come in line by line, and lines that cannot be used are named', async () => {
    const lines = [
      {
        kind: 'clicked',
        at: '2026-11-01T10:00:00Z',
        address: 'ada@lanternpost.example',
        brandId: 1,
        source: 'shop',
        externalId: '1',
      },
      {
        kind: 'danced',
        at: '2026-11-01T10:00:00Z',
        address: 'ada@lanternpost.example',
        brandId: 1,
        source: 'shop',
        externalId: '2',
      },
    ];
    const said = await avendel(
      'events',
      'import',
      file('events.jsonl', lines.map((line) => JSON.stringify(line)).join('\n')),
    );
    expect(said.code).toBe(3);
    expect(said.stdout).toMatch(/^1 recorded, 0 were known, 1 refused\.\n {2}line 2: /);
  });
});

test('every command says what it is for, and a wrong one what to do', async () => {
  const { stdout } = await avendel('--help');
  const groups = [...stdout.matchAll(/^ {2}(\w[\w-]*)(?: \[options\])? /gm)]
    .map((match) => match[1]!)
    .filter((name) => name !== 'help');
  expect(groups).toEqual(expect.arrayContaining(['contacts', 'campaigns', 'suppression', 'rules', 'runs', 'returns']));
  for (const group of groups) expect((await avendel(group, '--help')).stdout).toMatch(/^Usage: avendel /);
  const wrong = await avendel('campaigns', 'sendd');
  expect(wrong.code).toBe(2);
  expect(wrong.stderr).toMatch(/unknown command 'sendd'[\s\S]*send/);
}, 60_000);

test('without a service or a sign-in, the command line says which and what to do', async () => {
  const lost = await makeAvendel({ ...service, console: 'http://127.0.0.1:9' })('lists', 'list');
  expect(lost).toMatchObject({ code: 1, stderr: expect.stringMatching(/127\.0\.0\.1:9/) as unknown });
  // One that goes away before it has answered may have done what it was asked.
  const leaving = createServer((socket) => socket.once('data', () => socket.destroy())).listen(0, '127.0.0.1');
  await once(leaving, 'listening');
  const { port } = leaving.address() as AddressInfo;
  const cut = await makeAvendel({ ...service, console: `http://127.0.0.1:${port}` })(
    'runs',
    'undo',
    '1',
    '--reason',
    'x',
  );
  leaving.close();
  expect(cut).toMatchObject({
    code: 1,
    stderr: expect.stringMatching(/ended before it answered\. .*avendel runs list/) as unknown,
  });
  const stranger = await makeAvendel({ ...service, token: 'nonsense' })('lists', 'list');
  expect(stranger).toMatchObject({ code: 1, stderr: expect.stringMatching(/sign-in/) as unknown });
});
