import type { ActPreview } from '../../src/shared/contract/acts.ts';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import pg from 'pg';
import type { Browser, Page } from 'playwright-core';
import { openBrowser, signIn } from '../support/browser.ts';
import { makeAvendel } from '../support/cli.ts';
import { makeList, startRealService, until, type Running } from '../support/service.ts';

/** Two pieces of a run and a half. */
const PEOPLE = 25_000;
/** Class of the locks under which pieces are worked on. */
const RUN_LOCKS = 73_005;
let service: Running;
let browser: Browser;
let page: Page;
let database: pg.Client;
let avendel: ReturnType<typeof makeAvendel>;

beforeAll(async () => {
  service = await startRealService();
  await makeList(
    service.client,
    Array.from({ length: PEOPLE }, (_, index) => `reader${index}@lanternpost.example`),
  );
  database = new pg.Client({ connectionString: service.databaseUrl });
  await database.connect();
  avendel = makeAvendel(service);
  browser = await openBrowser();
  page = await signIn(browser, service);
}, 300_000);
afterAll(async () => {
  await database.end();
  await browser.close();
  await service.stop();
});

const headline = (text: string | RegExp): Promise<void> =>
  page.getByRole('heading', { level: 1, name: text }).waitFor();

async function nextRun(): Promise<number> {
  const { rows } = await database.query<{ id: number }>('SELECT coalesce(max(id), 0) + 1 AS id FROM run');
  return rows[0]!.id;
}

/**
 * Takes the lock of the next run, as if another process were at it: it begins, and stays where it is until it is let
 * go.
 */
async function holdNextRun(): Promise<{ id: number; letGo: () => Promise<unknown> }> {
  const id = await nextRun();
  await database.query('SELECT pg_advisory_lock($1, $2)', [RUN_LOCKS, id]);
  return { id, letGo: () => database.query('SELECT pg_advisory_unlock($1, $2)', [RUN_LOCKS, id]) };
}

/** Goes through the steps of an act on everybody who is found. */
async function actOnAll(
  label: string,
  button: string,
  part: string,
  more: () => Promise<void> = async () => undefined,
): Promise<void> {
  await page.goto(`${service.console}/contacts?part=${part}`);
  await page.getByRole('combobox', { name: 'What to do' }).click();
  await page.getByRole('option', { name: label }).click();
  if (label === 'Tag them') await page.getByLabel('The tag').fill('fair');
  await page.getByRole('button', { name: 'Count whom it would change' }).click();
  await page.getByRole('button', { name: 'See what it would change' }).click();
  await page.getByRole('button', { name: 'Say why' }).click();
  await page.getByLabel('Why').fill('a test');
  await more();
  await page.getByRole('button', { name: button }).click();
}

test('a run over many says how far it is wherever one goes, is stopped there, and its page says where it ended', async () => {
  const held = await holdNextRun();
  await actOnAll('Tag them', 'Tag 25,000', 'reader');
  await page.getByRole('progressbar', { name: `Run ${held.id}`, exact: true }).waitFor();
  await page.getByText('0 of 25,000', { exact: true }).first().waitFor();
  await page.getByRole('link', { name: 'Suppression' }).click();
  await page.getByRole('progressbar', { name: `Run ${held.id}, tag: so far` }).waitFor({ state: 'attached' });
  await page
    .getByRole('banner')
    .getByRole('link', { name: `Run ${held.id}, tag` })
    .click();
  await headline('Nothing was changed so far');
  await expect(page.getByRole('button', { name: 'Put everything back' }).count()).resolves.toBe(0);
  await page.getByRole('button', { name: 'Stop' }).click();
  await until(async () => (await service.client.run({ id: held.id })).stopped !== null);
  await held.letGo();
  await headline('Nothing was changed');
  await page.getByText('0 of 25,000 were dealt with: Rosa Lindgard stopped it.').waitFor();
  await page.getByRole('progressbar').first().waitFor({ state: 'detached' });
});

test('a run that is left to itself ends where it was begun, with what it changed and the way to its undo', async () => {
  const held = await holdNextRun();
  await actOnAll('Tag them', 'Tag 25,000', 'reader');
  await page.getByRole('progressbar', { name: `Run ${held.id}`, exact: true }).waitFor();
  await held.letGo();
  await page.getByText(`Applied as run ${held.id}.`).waitFor();
  await page.getByText('25,000 tagged').waitFor();
  await page.getByRole('link', { name: 'Look at the run, or undo it' }).click();
  await page.getByLabel('Why').fill('a slip');
  const undo = await holdNextRun();
  await page.getByRole('button', { name: 'Put everything back' }).click();
  await page.getByRole('progressbar', { name: `Run ${undo.id}`, exact: true }).waitFor();
  // Somebody is tagged anew by hand meanwhile, and has to be left.
  const [left] = (await service.client.contacts({ brandId: 1, limit: 1 })).items;
  for (const act of ['untag', 'tag'] as const)
    await service.client.applyAct({ act, tag: 'fair', addresses: [left!.address], expect: 1, reason: 'by hand' });
  await undo.letGo();
  await page.getByText('1 were left as they are, because something changed them again since.').waitFor();
  await page.getByRole('link', { name: `run ${undo.id}`, exact: true }).click();
  await page.getByRole('heading', { name: 'Left as they are, because something changed them again: 1' }).waitFor();
  await page.getByRole('link', { name: left!.name! }).first().waitFor();
});

test('kill -9 in the middle of a piece: the run goes on by itself, everybody is dealt with once, and the command line can be taken up again', async () => {
  const id = await nextRun();
  const dry = await avendel('contacts', 'archive', '--part', 'reader', '--dry-run', '--json');
  const { contacts: mailable } = (JSON.parse(dry.stdout) as ActPreview).stillMailable;
  // Somebody in the second piece is held: the run comes that far, and waits within it.
  await database.query('BEGIN');
  await database.query(
    'SELECT FROM contact WHERE id = (SELECT id FROM contact ORDER BY id OFFSET 15000 LIMIT 1) FOR UPDATE',
  );
  const following = avendel(
    'contacts',
    'archive',
    '--part',
    'reader',
    '--expect',
    String(PEOPLE),
    '--expect-mailable',
    String(mailable),
    '--reason',
    'a test',
  );
  await until(async () => (await service.client.run({ id })).done === 10_000);
  service.kill();
  const said = await following;
  expect(said.code).toBe(1);
  // It had the first answer, and follows the run, or was still waiting for it.
  expect(said.stderr).toMatch(
    new RegExp(
      `It goes on without you, .*avendel runs watch ${id}|may be done, or still under way: .*avendel runs list`,
    ),
  );
  await database.query('ROLLBACK');
  await service.restart();
  const watched = await avendel('runs', 'watch', String(id));
  expect(watched).toMatchObject({ code: 0, stdout: `Run ${id}, archive: 25,000 archived.\n` });
  const { rows } = await database.query<{ n: number }>(
    'SELECT sum(upper(r) - lower(r))::int AS n FROM journal j, unnest(j.contacts) r WHERE run_id = $1',
    [id],
  );
  expect(rows[0]!.n).toBe(PEOPLE);
  const late = await avendel('runs', 'stop', String(id));
  expect(late.code).toBe(1);
  expect(late.stderr).toContain(`Run ${id} has ended.`);
  expect((await avendel('runs', 'undo', String(id), '--reason', 'a slip')).stdout).toContain(
    '25,000 put back, 0 left as they are',
  );
});

test('erasing many asks for their number to be typed', async () => {
  await actOnAll('Erase them', 'Erase 11', 'reader1234', async () => {
    const erase = page.getByRole('button', { name: 'Erase 11' });
    expect(await erase.isDisabled()).toBe(true);
    await page.getByLabel('How many people are these? Type 11').fill('12');
    await page.getByLabel('How many of them may still be written to? Type 11').fill('11');
    expect(await erase.isDisabled()).toBe(true);
    await page.getByLabel('How many people are these? Type 11').fill('11');
  });
  await page.getByText('11 erased').waitFor();
  await page.getByRole('link', { name: 'Look at the run', exact: true }).click();
  await headline('11 erased');
  await expect(page.getByRole('button', { name: 'Put everything back' }).count()).resolves.toBe(0);
  expect((await service.client.contacts({ brandId: 1, limit: 1 })).total).toBe(PEOPLE - 11);
});
