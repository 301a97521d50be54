import { afterAll, expect, test } from '@jest/globals';
import { exportContacts } from '../../src/operations/contacts/export-contacts.ts';
import { addEntries } from '../../src/operations/suppression/keep-entries.ts';
import { exportEntries } from '../../src/operations/suppression/export-entries.ts';
import { fullFilter } from '../../src/store/statements/contacts.ts';
import { makeDeps } from '../support/database.ts';
import { until } from '../support/service.ts';
import { makeSmallWorld } from '../support/world.ts';
import { ownSuppressionList } from '../support/parts.ts';

const PEOPLE = 9000;
const deps = await makeDeps();
const world = await makeSmallWorld(deps, PEOPLE);
afterAll(() => deps.close());

/** An export of which only the beginning has been taken. */
async function begin(where: string | null): Promise<{ first: string; rest: AsyncGenerator<string> }> {
  const filter = { ...fullFilter({ brandId: world.brandId }), where };
  const rest = exportContacts(deps, { filter, format: 'jsonl', columns: ['address', 'name'] });
  return { first: (await rest.next()).value as string, rest };
}
async function end({ first, rest }: Awaited<ReturnType<typeof begin>>): Promise<{ address: string; name: string }[]> {
  let text = first;
  for await (const piece of rest) text += piece;
  return text
    .trim()
    .split('\n')
    .map((line) => JSON.parse(line) as { address: string; name: string });
}
const transactions = async (): Promise<number> => {
  const [row] = await deps.database.query<{ n: number }[]>(
    `SELECT count(*)::int AS n FROM pg_stat_activity WHERE datname = current_database() AND xact_start IS NOT NULL AND pid <> pg_backend_pid()`,
  );
  return row!.n;
};

test.each([null, 'on list "Night Digest"'])(
  'an export reads one instant, whatever changes while it is taken (%s)',
  async (where) => {
    const exported = await begin(where);
    await deps.database.query(`UPDATE contact SET name = name || ' changed'`);
    const rows = await end(exported);
    expect(rows).toHaveLength(PEOPLE);
    expect(new Set(rows.map(({ address }) => address)).size).toBe(PEOPLE);
    // All as before, or all as after: it began at one instant.
    expect(new Set(rows.map(({ name }) => / changed$/.test(name))).size).toBe(1);
    await deps.database.query(`UPDATE contact SET name = replace(name, ' changed', '')`);
  },
);

test('many who take their exports slowly, or not at all, hold no connection', async () => {
  // More than there are connections.
  const slow = await Promise.all(Array.from({ length: 20 }, () => begin(null)));
  await until(async () => (await transactions()) === 0);
  for (const one of slow) expect((await end(one)).length).toBe(PEOPLE);
});

test('entries too; and what looks like a formula is none in a spreadsheet', async () => {
  const list = await ownSuppressionList(deps, 'Ours', 'marketing');
  await addEntries(deps, {
    listId: list.id,
    values: ['=cmd@quillmail.example'],
    reason: '=HYPERLINK("https://x.example")',
    expiresAt: null,
    actor: '@Rosa',
  });
  let text = '';
  for await (const piece of exportEntries(deps, list.id, 'all', '')) text += piece;
  expect(text.split('\n')[1]).toMatch(
    /^'=cmd@quillmail\.example,address,"'=HYPERLINK\(""https:\/\/x\.example""\)",'@Rosa,/,
  );
});
