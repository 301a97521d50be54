import { readFileSync } from 'node:fs';
import { afterAll, describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { recordCampaign } from '../../src/operations/campaigns/edit-campaign.ts';
import { recordEvents } from '../../src/operations/events/record-events.ts';
import { exportEntries } from '../../src/operations/suppression/export-entries.ts';
import type { EntityManager } from 'typeorm';
import { addressHash } from '../../src/core/address/suppression-keys.ts';
import { OUTCOME_LETTERS } from '../../src/core/import/row-outcomes.ts';
import { makeFindSuspects } from '../../src/operations/imports/suppression-sieve.ts';
import { makeTakeRows } from '../../src/operations/imports/take-rows.ts';
import {
  copyInto,
  encodeRow,
  INT8_FIELD_BYTES,
  makeCopyRows,
  ROW_HEAD_BYTES,
} from '../../src/store/import-engine/copying.ts';
import { addEntries, createSuppressionList, liftByPerson } from '../../src/operations/suppression/keep-entries.ts';
import { arrayText } from '../../src/store/array-text.ts';
import { textArray } from '../../src/store/import-engine/text-array.ts';
import { packTexts } from '../../src/core/import-engine/packed-texts.ts';
import { inTransaction, migrate, openDatabase } from '../../src/store/database.ts';
import { FirstSchema1790000000001 } from '../../src/store/migrations/0001-first-schema.ts';
import { recordHandovers, settleAbandonedDeliveries, settleClaims } from '../../src/store/statements/deliveries.ts';
import { takeImportRows, type RowColumns } from '../../src/store/statements/import-rows.ts';
import { insertRun, listJournal, listSetContacts } from '../../src/store/statements/journal.ts';
import { findDeadProcesses, registerProcess, withExclusiveLock } from '../../src/store/statements/processes.ts';
import { listEntries } from '../../src/store/statements/suppression.ts';
import { countSince } from '../../src/store/statements/today.ts';
import { makeDatabase, makeDeps } from '../support/database.ts';
import { DAY, importText, makePastCampaigns, makeSmallWorld, outside } from '../support/world.ts';
import { ownSuppressionList, NOTHING_ELSE } from '../support/parts.ts';
import { applySunsetRule, undoRun } from '../support/runs.ts';

const deps = await makeDeps();
const world = await makeSmallWorld(deps, 6);
afterAll(() => deps.close());

const one = async <T>(text: string, values: unknown[] = []): Promise<T> => {
  const rows: T[] = await deps.database.query(text, values);
  return rows[0]!;
};
const bothSettled = async <T>(work: () => Promise<T>): Promise<T[]> => Promise.all([work(), work()]);

test('a text array reads back as it was, whatever is in it', async () => {
  const value = fc.option(
    fc.string({ unit: 'grapheme' }).map((text) => text.replaceAll('\u0000', '')),
    { nil: null },
  );
  await fc.assert(
    fc.asyncProperty(
      fc.array(fc.oneof(value, fc.constantFrom('', 'NULL', '"', '\\', '{}', 'a","b', ' '))),
      async (values) => {
        const given = [arrayText(values), textArray(packTexts(values))];
        expect(await one('SELECT $1::text[] AS text, $2::text[] AS bytes', given)).toEqual({
          text: values,
          bytes: values,
        });
      },
    ),
  );
});

test('rows are copied as they are, whatever is in them', async () => {
  const text = fc.string({ unit: 'grapheme' }).map((value) => value.replaceAll('\u0000', ''));
  const row = fc.record({
    id: fc.maxSafeInteger(),
    n: fc.integer({ min: -(2 ** 31), max: 2 ** 31 - 1 }),
    name: fc.option(text, { nil: null }),
    json: fc.dictionary(text, text),
    at: fc.date({ min: new Date('1716-01-01'), max: new Date('2285-01-01'), noInvalidDate: true }),
  });
  await fc.assert(
    fc.asyncProperty(fc.array(row, { maxLength: 5 }), fc.nat(200), async (rows, bytes) => {
      const copy = makeCopyRows(bytes);
      for (const { id, n, name, json, at } of rows) {
        copy.begin(5);
        copy.int8(id);
        copy.int4(n);
        copy.packed(packTexts([null, name]), 1);
        copy.jsonb(JSON.stringify(json));
        copy.instant(at.getTime());
      }
      const back = await inTransaction(deps.database, async (sql) => {
        await sql.query(
          'CREATE TEMP TABLE copied (id bigint, n int, name text, json jsonb, at timestamptz) ON COMMIT DROP',
        );
        await copyInto(sql, 'copied', copy);
        return sql.query<unknown[]>('SELECT * FROM copied');
      });
      expect(back).toEqual(rows.map((given) => ({ ...given, id: String(given.id) })));
    }),
  );
});

test('rows that are alike are copied so many times, each with what is its own', async () => {
  const row = encodeRow((fields) => {
    fields.begin(3);
    fields.int8(0);
    fields.int8(0);
    fields.text('☾');
  });
  for (const times of [0, 1, 2, 5, 64, 1000]) {
    const copy = makeCopyRows(1);
    const begun = copy.repeated(row, times);
    for (let n = 0; n < times; n++) {
      copy.int8At(begun + n * row.length + ROW_HEAD_BYTES + INT8_FIELD_BYTES - 8, n);
      copy.instantAt(begun + n * row.length + ROW_HEAD_BYTES + 2 * INT8_FIELD_BYTES - 8, n * 1000);
    }
    const back = await inTransaction(deps.database, async (sql) => {
      await sql.query('CREATE TEMP TABLE alike (id bigint, at timestamptz, name text) ON COMMIT DROP');
      await copyInto(sql, 'alike', copy);
      return sql.query<unknown[]>('SELECT * FROM alike');
    });
    expect(back).toEqual(
      Array.from({ length: times }, (_, n) => ({ id: String(n), at: new Date(n * 1000), name: '☾' })),
    );
  }
});

describe('rows of an import', () => {
  const target = () => ({ importId: 0, listId: world.listId, brandId: world.brandId, state: 'subscribed' as const });
  const columns = (addresses: string[]): RowColumns => ({
    addresses: packTexts(addresses),
    names: null,
    attributes: null,
    joinedAt: null,
  });
  const take = async (addresses: string[]): Promise<string> => {
    const runId = await insertRun(deps.database, { kind: 'import', brandId: null, actor: 'test', reason: 'test' });
    return takeImportRows(deps.database, columns(addresses), target(), runId, 'test');
  };

  test('none, one, the same again, and some new beside known ones', async () => {
    expect(await take([])).toBe('');
    expect(await take(['ida@quillmail.example'])).toBe('c');
    expect(await take(['ida@quillmail.example'])).toBe('=');
    expect(await take(['noa@quillmail.example', 'ida@quillmail.example', 'reader0@lanternpost.example'])).toBe('c==');
  });

  test('taken for new they fare as when each is looked up; with somebody known among them all are looked up', async () => {
    const given: RowColumns = {
      addresses: packTexts([
        'new.one@quillmail.example',
        'stopped+moon@quillmail.example',
        'x@labs.campusnet.example',
        'new.two@quillmail.example',
        'gone@quillmail.example',
        'held@quillmail.example',
        'new.three@quillmail.example',
      ]),
      names: packTexts(['Ünal “One”', null, 'X', null, null, null, 'Three\t\\N']),
      attributes: ['{"seat": "A1", "moon": "☾"}', null, null, null, null, null, '{}'],
      joinedAt: [
        '2024-02-29T23:59:59.999Z',
        null,
        '1999-12-31T00:00:00.000Z',
        null,
        null,
        null,
        '1970-01-01T00:00:00.000Z',
      ],
      flags: [null, null, null, null, null, OUTCOME_LETTERS['held:role-name'], null],
    };
    const list = await ownSuppressionList(deps, 'For rows', 'marketing');
    await addEntries(deps, {
      listId: list.id,
      values: ['stopped@quillmail.example', '.campusnet.example', addressHash('gone@quillmail.example')],
      reason: 'asked',
      expiresAt: null,
      actor: 'test',
    });
    const suspects = await (
      await makeFindSuspects(deps, 1000)
    )(
      given.addresses,
      given.addresses.all().map((address) => address!.split('@')[1]!),
    );
    expect(suspects).toEqual([1, 2, 4]);
    const runId = await insertRun(deps.database, { kind: 'import', brandId: null, actor: 'test', reason: 'test' });
    const outcome = async (take: (sql: EntityManager) => Promise<string>): Promise<unknown> => {
      let found: unknown;
      const undone = inTransaction(deps.database, async (sql) => {
        const letters = await take(sql);
        const rows: unknown = await sql.query(
          `SELECT c.address, c.name, c.attributes, c.joined_at, c.created_at, c.tags, s.list_id, s.state, s.since = c.joined_at AS since_then, s.source FROM contact c LEFT JOIN subscription s ON s.contact_id = c.id WHERE c.address = ANY($1) ORDER BY c.address`,
          [given.addresses.all()],
        );
        const noted: unknown = await sql.query(
          `SELECT subject, subject_id, after->>'state' AS state, (after->>'since')::timestamptz AS since, actor_kind, actor, cause, (SELECT sum(upper(r) - lower(r))::int FROM unnest(contacts) r) AS n FROM journal WHERE run_id = $1 ORDER BY n`,
          [runId],
        );
        found = JSON.parse(
          JSON.stringify({ letters, rows, noted }).replaceAll(
            JSON.stringify((await sql.query<{ now: Date }[]>('SELECT now()'))[0]!.now),
            '"now"',
          ),
        );
        throw new Error('looked at');
      });
      await expect(undone).rejects.toThrow('looked at');
      return found;
    };
    const quickly = await outcome((sql) => makeTakeRows('test')(sql, { ...given, suspects }, target(), runId));
    expect(quickly).toMatchObject({
      letters: 'csscsoc',
      noted: [
        { n: 1, since: 'now' },
        { n: 2, since: '2024-02-29T23:59:59.999Z' },
      ],
    });
    expect(quickly).toEqual(await outcome((sql) => takeImportRows(sql, given, target(), runId, 'test')));

    const mixed = { ...columns(['new.four@quillmail.example', 'reader0@lanternpost.example']), suspects: [] };
    const taken = await outcome((sql) => makeTakeRows('test')(sql, mixed, target(), runId));
    expect(taken).toMatchObject({ letters: 'c=', noted: [{ n: 1 }] });
  });

  test('an entry that is added while a file is worked through is found by the next chunk', async () => {
    const findSuspects = await makeFindSuspects(deps, 1000);
    const chunk = [
      ['late@quillmail.example', 'other@quillmail.example'],
      ['quillmail.example', 'quillmail.example'],
    ] as const;
    expect(await findSuspects(packTexts(chunk[0]), [...chunk[1]])).toEqual([]);
    const list = await createSuppressionList(deps, {
      name: 'Late',
      scope: 'organisation',
      scopeId: null,
      reach: 'marketing',
      exact: true,
    });
    await addEntries(deps, {
      listId: list.id,
      values: ['late@quillmail.example'],
      reason: 'asked',
      expiresAt: null,
      actor: 'test',
    });
    expect(await findSuspects(packTexts(chunk[0]), [...chunk[1]])).toEqual([0]);
  });

  test('two imports at once of the same people: each of them is created once, and both imports count every row', async () => {
    const rows = Array.from({ length: 3000 }, (_, index) => `both${index}@quillmail.example`);
    const shuffled = [...rows].reverse();
    const [a, b] = await Promise.all([
      importText(deps, world.listId, ['address', ...rows].join('\n')),
      importText(deps, world.listId, ['address', ...shuffled].join('\n')),
    ]);
    expect((a.counts['created'] ?? 0) + (b.counts['created'] ?? 0)).toBe(3000);
    expect((a.counts['unchanged'] ?? 0) + (b.counts['unchanged'] ?? 0)).toBe(3000);
    expect(await one(`SELECT count(*)::int AS n FROM contact WHERE address LIKE 'both%'`)).toEqual({ n: 3000 });
  });
});

describe('the journal of a set', () => {
  test('a contact finds the import in their journal, the run lists who it was about, Today counts only who joined now', async () => {
    const before = await countSince(deps.database, world.brandId, new Date(Date.now() - DAY));
    const done = await importText(
      deps,
      world.listId,
      [
        'address,joined',
        'uno@hearthmail.example,2024-05-01',
        'due@hearthmail.example,',
        'tre@hearthmail.example,',
      ].join('\n'),
    );
    const lines = await listJournal(deps.database, { runId: done.runId! }, Number.MAX_SAFE_INTEGER, 10);
    expect(lines.map((line) => line.contacts).sort()).toEqual([1, 2]);
    const pair = lines.find((line) => line.contacts === 2)!;
    expect((await listSetContacts(deps.database, pair.id, 0, 10)).map((row) => row.address)).toEqual([
      'due@hearthmail.example',
      'tre@hearthmail.example',
    ]);
    const { id } = await one<{ id: string }>(`SELECT id FROM contact WHERE address = 'due@hearthmail.example'`);
    expect(await listJournal(deps.database, { contactId: Number(id) }, Number.MAX_SAFE_INTEGER, 10)).toMatchObject([
      {
        id: pair.id,
        subject: 'subscription',
        address: 'due@hearthmail.example',
        after: { state: 'subscribed' },
        cause: { import: done.id },
      },
    ]);
    const after = await countSince(deps.database, world.brandId, new Date(Date.now() - DAY));
    expect(after.subscribed - before.subscribed).toBe(2);
  });

  test('undoing an import takes off the list who it put there, but not who has left since', async () => {
    const done = await importText(deps, world.listId, 'address\nquattro@hearthmail.example\ncinque@hearthmail.example');
    const { id } = await one<{ id: string }>(`SELECT id FROM contact WHERE address = 'cinque@hearthmail.example'`);
    await recordEvents(deps, [
      { ...outside(world, 'unsubscribed', 0, null, Date.now(), { lists: [world.listId] }), contactId: Number(id) },
    ]);
    expect(await undoRun(deps, done.runId!, 'wrong file', 'Rosa Lindgard')).toMatchObject({
      restored: 1,
      leftAlone: 1,
      removed: 1,
      movedOn: [{ address: 'cinque@hearthmail.example', subject: 'subscription' }],
    });
    const states: unknown = await deps.database.query(
      `SELECT c.address, s.state FROM contact c LEFT JOIN subscription s ON s.contact_id = c.id WHERE c.address IN ('quattro@hearthmail.example', 'cinque@hearthmail.example') ORDER BY 1`,
    );
    expect(states).toEqual([{ address: 'cinque@hearthmail.example', state: 'unsubscribed' }]);
  });
});

describe('entries', () => {
  const enter = (listId: number, values: string[]) =>
    addEntries(deps, { listId, values, reason: 'asked', expiresAt: null, actor: 'Rosa Lindgard' });
  const own = async (name: string): Promise<number> =>
    (
      await createSuppressionList(deps, {
        name,
        scope: 'organisation',
        scopeId: null,
        reach: 'marketing',
        exact: false,
      })
    ).id;

  test('none, one, many with repeats and nonsense, twice, and two at once', async () => {
    const listId = await own('Letters');
    expect(await enter(listId, [])).toMatchObject({ entered: 0, known: 0, refused: [] });
    expect(await enter(listId, ['Ana@Quillmail.example'])).toMatchObject({ entered: 1, known: 0 });
    const many = [
      'ana@quillmail.example',
      'BEN@quillmail.example',
      'ben@quillmail.example',
      '.campusnet.example',
      'a b c',
    ];
    expect(await enter(listId, many)).toMatchObject({ entered: 2, known: 1, refused: [{ row: 5, value: 'a b c' }] });
    expect(await enter(listId, many)).toMatchObject({ entered: 0, known: 3 });
    const values = Array.from({ length: 400 }, (_, index) => `race${index}@quillmail.example`);
    const both = await bothSettled(() => enter(listId, values));
    expect(both.map((result) => result.entered).reduce((a, b) => a + b)).toBe(400);
    expect((await listEntries(deps.database, listId, 'in-effect', '', 'oldest', null, 1000)).length).toBe(403);
  });

  test('an entry whose end has passed stops nothing and can be entered again; the export tells both', async () => {
    const listId = await own('For a while');
    await enter(listId, ['eva@quillmail.example']);
    await deps.database.query(
      `UPDATE suppression_entry SET expires_at = now() - interval '1 hour' WHERE list_id = $1`,
      [listId],
    );
    expect(await listEntries(deps.database, listId, 'in-effect', '', 'oldest', null, 10)).toEqual([]);
    expect(await enter(listId, ['eva@quillmail.example'])).toMatchObject({ entered: 1, known: 0 });
    let csv = '';
    for await (const piece of exportEntries(deps, listId, 'all', '')) csv += piece;
    const [header, first, second] = csv.trim().split('\n');
    expect(header).toBe('entry,kind,reason,source,entered_at,expires_at,lifted_at,lifted_by,lift_reason');
    expect(first).toMatch(/^eva@quillmail\.example,address,asked,Rosa Lindgard,.*,its end,reached its end$/);
    expect(second).toMatch(/^eva@quillmail\.example,address,asked,Rosa Lindgard,[^,]+,,,,$/);
  });

  test('two lift the same entry at once: one does, the other is told', async () => {
    const listId = await own('Once');
    await enter(listId, ['fay@quillmail.example']);
    const [entry] = await listEntries(deps.database, listId, 'in-effect', '', 'oldest', null, 10);
    const both = await Promise.allSettled([1, 2].map(() => liftByPerson(deps, [entry!.id], 'asked', 'Rosa Lindgard')));
    expect(both.map((result) => result.status).sort()).toEqual(['fulfilled', 'rejected']);
  });
});

describe('at once', () => {
  test('the same events by two writers count once, and two runs of the ladder move each contact once', async () => {
    const campaigns = await makePastCampaigns(deps, world, 40);
    const sent = campaigns.map((campaign) => outside(world, 'sent', 1, campaign, campaign.at));
    const results = await bothSettled(() => recordEvents(deps, sent));
    expect(results.map((result) => result.recorded).reduce((a, b) => a + b)).toBe(40);
    expect(await one('SELECT sent FROM activity WHERE contact_id = $1', [world.contactIds[1]])).toEqual({ sent: 40 });
    const request = {
      brandId: world.brandId,
      expected: null,
      reason: 'test',
      actor: 'test',
      actorKind: 'rule' as const,
    };
    await bothSettled(() => applySunsetRule(deps, request));
    const moves: unknown = await deps.database.query(
      `SELECT after->>'stage' AS stage FROM journal WHERE contact_id = $1 AND subject = 'stage' AND after->>'stage' = 'sunset'`,
      [world.contactIds[1]],
    );
    expect(moves).toEqual([{ stage: 'sunset' }]);
  });

  test('a thousand events at once: all new, the same again, and with one that is new; two writers at once', async () => {
    const begin = deps.now().getTime() - 10 * DAY;
    const visits = (from: number, to: number) =>
      Array.from({ length: to - from }, (_, index) => ({
        ...outside(world, 'visited', 2 + (index % 3), null, begin + index * 1000, { what: `"${index}" \\ {,}` }),
        externalId: `many ${from + index}`,
      }));
    const visited = async (): Promise<number> =>
      (
        await one<{ n: number }>(`SELECT sum(visited)::int AS n FROM activity WHERE contact_id = ANY($1)`, [
          world.contactIds.slice(2, 5),
        ])
      ).n;
    expect(await recordEvents(deps, visits(0, 1000))).toEqual({ recorded: 1000, repeated: 0 });
    expect(await recordEvents(deps, visits(0, 1000))).toEqual({ recorded: 0, repeated: 1000 });
    expect(await recordEvents(deps, [...visits(0, 999), ...visits(1000, 1001)])).toEqual({
      recorded: 1,
      repeated: 999,
    });
    expect(await visited()).toBe(1001);
    const both = await bothSettled(() => recordEvents(deps, visits(2000, 3000)));
    expect(both.map(({ recorded }) => recorded).sort()).toEqual([0, 1000]);
    expect(await visited()).toBe(2001);
    expect(await one(`SELECT detail->>'what' AS what FROM event WHERE external_id = 'many 7'`)).toEqual({
      what: '"7" \\ {,}',
    });
  });

  test('a claim that is ended puts back what was not handed over, and what was has no known end', async () => {
    const campaign = await one<{ id: number }>(`SELECT id FROM campaign WHERE name = 'Digest 1'`);
    const claim = '00000000-0000-4000-8000-000000000001';
    const [, , waiting, handed, answered] = world.contactIds;
    await deps.database.query(
      `INSERT INTO delivery (campaign_id, contact_id, address, list_ids, state, claim_id, handed_at)
       SELECT $1, id, address, '{}', CASE WHEN id = $4 THEN 'accepted' ELSE 'claimed' END, CASE WHEN id <> $4 THEN $5::uuid END, CASE WHEN id <> $2 THEN now() END
       FROM contact WHERE id = ANY(ARRAY[$2, $3, $4]::bigint[])`,
      [campaign.id, waiting, handed, answered, claim],
    );
    await settleClaims(deps.database, campaign.id, [claim]);
    const states = await deps.database.query<{ state: string; claim_id: string | null }[]>(
      `SELECT state, claim_id FROM delivery WHERE campaign_id = $1 AND contact_id = ANY($2) ORDER BY contact_id`,
      [campaign.id, [waiting, handed, answered]],
    );
    expect(states).toEqual(['queued', 'uncertain', 'accepted'].map((state) => ({ state, claim_id: null })));
    // The process had only lost its connection, and knows the end of one after all; of the other it has nothing to say.
    const answer = {
      outcome: 'accepted' as const,
      reply: '250 kept',
      at: deps.now().getTime(),
      waitSeconds: 0,
      untried: false,
      relayId: null,
    };
    await recordHandovers(
      deps.database,
      campaign.id,
      [waiting!, handed!].map((contactId) => ({ contactId, claimId: claim, ...answer })),
    );
    expect(
      await one(`SELECT state, reply FROM delivery WHERE campaign_id = $1 AND contact_id = $2`, [campaign.id, handed]),
    ).toEqual({ state: 'accepted', reply: '250 kept' });
    expect(
      await one(`SELECT state FROM delivery WHERE campaign_id = $1 AND contact_id = $2`, [campaign.id, waiting]),
    ).toEqual({ state: 'queued' });
  });

  test('what is claimed under a number that does not live is settled, also when the process was forgotten before; what a living one claims stays', async () => {
    const runner = deps.database.createQueryRunner();
    const living = '5f0c1e9a-0000-4000-8000-000000000002';
    await registerProcess(runner, living);
    const draft = {
      brandId: world.brandId,
      name: 'Claims',
      subject: 's',
      html: '',
      listIds: [world.listId],
      ...NOTHING_ELSE,
    };
    const { id } = await recordCampaign(deps, { ...draft, startedAt: deps.now() });
    const claim = (contact: number, processId: string, handed: boolean): Promise<unknown> =>
      deps.database.query(
        `INSERT INTO delivery (campaign_id, contact_id, address, state, claim_id, process_id, handed_at) VALUES ($1, $2, 'x@x.example', 'claimed', gen_random_uuid(), $3, CASE WHEN $4 THEN now() END)`,
        [id, world.contactIds[contact], processId, handed],
      );
    await claim(0, living, false);
    await claim(1, '5f0c1e9a-0000-4000-8000-00000000dead', false);
    await claim(2, '5f0c1e9a-0000-4000-8000-00000000dead', true);
    expect(await settleAbandonedDeliveries(deps.database)).toEqual({ requeued: 1, uncertain: 1 });
    const states = await deps.database.query<{ state: string }[]>(
      'SELECT state FROM delivery WHERE campaign_id = $1 ORDER BY contact_id',
      [id],
    );
    expect(states.map(({ state }) => state).sort()).toEqual(['claimed', 'queued', 'uncertain']);
    await runner.query('SELECT pg_advisory_unlock_all()');
    await runner.release();
    expect(await settleAbandonedDeliveries(deps.database)).toEqual({ requeued: 1, uncertain: 0 });
    await deps.database.query('DELETE FROM service_process');
  });

  test('a process that has died is known by its lock, and work under a lock is done by one only', async () => {
    const runner = deps.database.createQueryRunner();
    const id = '5f0c1e9a-0000-4000-8000-000000000001';
    await registerProcess(runner, id);
    expect(await findDeadProcesses(deps.database)).toEqual([]);
    const other = deps.database.createQueryRunner();
    let inside: boolean | undefined;
    await withExclusiveLock(runner, 73_999, 1, async () => {
      inside = await withExclusiveLock(other, 73_999, 1, () => Promise.resolve());
    });
    expect(inside).toBe(false);
    expect(await withExclusiveLock(other, 73_999, 1, () => Promise.resolve())).toBe(true);
    await other.release();
    // What PostgreSQL does when a process's connection is gone.
    await runner.query('SELECT pg_advisory_unlock_all()');
    await runner.release();
    expect(await findDeadProcesses(deps.database)).toEqual([id]);
  });
});

describe('migrations', () => {
  test('two processes migrate at once; an older service refuses a newer schema', async () => {
    const { url, drop } = await makeDatabase();
    const both = await Promise.all([openDatabase(url, 2), openDatabase(url, 2)]);
    await Promise.all(both.map((database) => migrate(database)));
    await both[0].query(`INSERT INTO migrations (timestamp, name) VALUES (1999999999999, 'FromTomorrow1999999999999')`);
    await expect(migrate(both[1])).rejects.toThrow(/newer Avendel \(FromTomorrow1999999999999\)/);
    await Promise.all(both.map((database) => database.destroy()));
    await drop();
  });

  test('an import finished before 0002 keeps its result file, one under way goes on', async () => {
    const { url, drop } = await makeDatabase();
    const database = await openDatabase(url, 2);
    const runner = database.createQueryRunner();
    await new FirstSchema1790000000001().up(runner);
    await database.query(
      `CREATE TABLE migrations (id serial PRIMARY KEY, timestamp bigint NOT NULL, name varchar NOT NULL)`,
    );
    await database.query(`INSERT INTO migrations (timestamp, name) VALUES (1790000000001, 'FirstSchema1790000000001')`);
    await database.query(`
      INSERT INTO brand (name, from_address, return_domain) VALUES ('B', 'b@larkfield.example', 'returns.larkfield.example');
      INSERT INTO list (brand_id, name) VALUES (1, 'L');
      INSERT INTO import (list_id, file_name, options, dry_run, state, rows_read, actor) VALUES (1, 'a.csv', '{}', false, 'finished', 4, 'x'), (1, 'b.csv', '{}', false, 'reading', 0, 'x');
      INSERT INTO import_chunk (import_id, first_row, outcomes) VALUES (1, 1, '{created,suppressed:unsubscribed,refused:bad-date,duplicate}')`);
    await runner.release();
    await migrate(database);
    expect(await database.query('SELECT letters FROM import_chunk')).toEqual([{ letters: 'clJd' }]);
    expect(await database.query('SELECT state, rows_expected FROM import ORDER BY id')).toEqual([
      { state: 'finished', rows_expected: 4 },
      { state: 'waiting', rows_expected: 0 },
    ]);
    await database.destroy();
    await drop();
  });

  test('every migration is registered, in order', () => {
    const source = readFileSync('src/store/database.ts', 'utf8');
    const names = [...source.matchAll(/migrations\/(\d{4})-/g)].map((match) => Number(match[1]));
    expect(names).toEqual(names.map((_, index) => index + 1));
  });
});
