import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { simpleParser, type ParsedMail } from 'mailparser';
import type { Browser, Page } from 'playwright-core';
import type { List } from '../../src/shared/contract/organisation.ts';
import { findViolations } from '../support/axe.ts';
import { atRest, openBrowser, signIn } from '../support/browser.ts';
import { makeAvendel, type Said } from '../support/cli.ts';
import { makeCampaign, makeList, startRealService, until, type Running } from '../support/service.ts';
import { startSink } from '../support/sink.ts';

/** A message from its first word to the mailbox: written, checked, tried and sent, by command line and console. */
let service: Running;
let sink: Awaited<ReturnType<typeof startSink>>;
let browser: Browser;
let page: Page;
let list: List;
let avendel: (...args: string[]) => Promise<Said>;
const READERS = ['ada', 'ben', 'cleo'].map((name) => `${name}@lanternpost.example`);
const folder = mkdtempSync(join(tmpdir(), 'avendel-'));
const file = (name: string, text: string): string => (writeFileSync(join(folder, name), text), join(folder, name));
const mailTo = async (address: string): Promise<ParsedMail> =>
  simpleParser(sink.received.filter(({ to }) => to === address).at(-1)!.raw);
const field = (name: string) => page.getByRole('textbox', { name, exact: true });
const press = (name: string | RegExp) => page.getByRole('button', { name }).click();

beforeAll(async () => {
  service = await startRealService();
  sink = await startSink(service.relayPort);
  list = await makeList(service.client, READERS);
  avendel = makeAvendel(service);
  browser = await openBrowser();
  page = await signIn(browser, service);
});
afterAll(async () => {
  await browser.close();
  await service.stop();
  await sink.close();
});

test('text alone, by command line: kept with what is wrong, mended, checked, sent without HTML', async () => {
  const broken = file('broken.txt', 'Dear [[first_name]],\nread https://larkfield.example/december.\n');
  const kept = await avendel(
    'campaigns',
    'create',
    'Letter',
    '--list',
    'Night Digest',
    '--format',
    'text',
    '--text',
    broken,
  );
  expect(kept).toMatchObject({ code: 0 });
  expect(kept.stdout).toContain(
    'It cannot be sent as it is:\n  The message has no subject.\n  Say what to write when “first_name” is empty',
  );
  const checked = await avendel('campaigns', 'check', 'Letter');
  expect(checked.code).toBe(1);
  expect(checked.stdout).toMatch(/^Letter: 2 things stand in the way\. It is for 3\.\n✗ There is no subject/);
  expect(checked.stdout).toContain('plain text, line 1: Say what to write');
  const text = file('letter.txt', 'Dear [[first_name else "stargazer"]],\nread https://larkfield.example/december.\n');
  const mended = await avendel('campaigns', 'edit', 'Letter', '--text', text, '--subject', 'A letter 🔭');
  expect(mended.stdout).toBe('Draft 1, “Letter”, is changed.\n');
  expect(await avendel('campaigns', 'check', 'Letter')).toMatchObject({ code: 0 });
  expect((await avendel('campaigns', 'show', 'Letter')).stdout).toMatch(
    /Plain text alone, of \d+ characters, its links not counted/,
  );
  const { message } = await service.client.preview({ id: 1, address: READERS[0] });
  expect(message.html).toBeNull();
  expect(await avendel('campaigns', 'send', 'Letter', '--expect', '3', '--watch')).toMatchObject({ code: 0 });
  const mail = await mailTo(READERS[0]!);
  expect(mail).toMatchObject({ html: false, subject: 'A letter 🔭' });
  expect(mail.headers.get('content-type')).toMatchObject({ value: 'text/plain' });
  // What leaves is what the preview showed.
  expect(mail.text!.trimEnd()).toBe(message.text.trimEnd());
  expect(mail.text).toContain('Dear Reader,\nread https://larkfield.example/december.');
});

test('what leaves is what the composer showed, byte for byte but for tokens; right-to-left names, too', async () => {
  const [contact] = (await service.client.contacts({ brandId: list.brandId, part: 'ben@lanternpost.example' })).items;
  await service.client.importFile({
    listId: list.id,
    fileName: 'names.csv',
    file: 'address,name,joined\nben@lanternpost.example,שרה לוי,2026-01-01',
  });
  await until(async () => (await service.client.contact({ id: contact!.id })).name === 'שרה לוי');
  const typed = {
    brandId: list.brandId,
    listIds: [list.id],
    subject: 'For [[first_name else "you"]] ✨',
    previewLine: '5 > 4, [[name else "reader"]]',
    html: '<html><body>\n<p>Dear [[first_name else "reader"]] &amp; all,</p><p>é <a href="https://larkfield.example/?a=1&amp;b=2">read</a></p></body></html>',
  };
  const seen = await service.client.previewTyped({ ...typed, address: 'ben@lanternpost.example' });
  const { id } = await service.client.createCampaign({ ...typed, name: 'Seen' });
  await service.client.startCampaign({ id, expect: 3 });
  await until(() => sink.received.length === 6);
  const mail = await mailTo('ben@lanternpost.example');
  const bare = (text: string): string =>
    text
      .replace(/[a-z2-7]{39}/g, 'TOKEN')
      .replaceAll('\r\n', '\n')
      .trimEnd();
  expect(mail.subject).toBe('For שרה ✨');
  expect(bare(mail.html as string)).toBe(bare(seen.message.html!));
  expect(bare(mail.text!)).toBe(bare(seen.message.text));
  expect(mail.html).toContain('>5 &#62; 4, שרה לוי</div>');
});

test('a test message arrives, marked; nothing that is done with it counts, and its way out takes nobody off', async () => {
  await makeCampaign(service.client, list, 'Tried');
  const before = await service.client.today({ brandId: list.brandId });
  const to = ['rosa.lindgard@larkfield.example', 'tom@larkfield.example'];
  const sent = await avendel('campaigns', 'test', 'Tried', ...to, '--as', 'ben@lanternpost.example');
  expect(sent).toMatchObject({
    code: 0,
    stdout: expect.stringContaining(`The relay took the test message to ${to[1]}`),
  });
  const mail = await mailTo(to[0]!);
  expect(mail.subject).toBe('Test: The sky');
  expect(mail.html).toContain('Dear שרה');
  expect(mail.html).toContain('href="https://larkfield.example/sky"');
  const out = /http[^\s"<>]+\/out\/[a-z2-7]{39}/.exec(mail.html as string)![0];
  for (const method of ['GET', 'POST']) {
    const body = method === 'POST' ? new URLSearchParams({ 'List-Unsubscribe': 'One-Click' }) : undefined;
    const answer = await fetch(out, { method, body });
    expect([answer.status, await answer.text()]).toEqual([200, expect.stringContaining('takes nobody off anything')]);
  }
  expect((await service.client.contacts({ brandId: list.brandId, part: '@larkfield.example' })).items).toEqual([]);
  const after = await service.client.today({ brandId: list.brandId });
  expect({ ...after, at: null, countedAt: null, since: null }).toEqual({
    ...before,
    at: null,
    countedAt: null,
    since: null,
  });
  expect((await service.client.campaigns()).items.find(({ name }) => name === 'Tried')).toMatchObject({ accepted: 0 });
});

test('a test message to eleven addresses, or twice to one, goes to nobody', async () => {
  const had = sink.received.length;
  const eleven = Array.from({ length: 11 }, (_, n) => `guest${n}@larkfield.example`);
  const said = await avendel('campaigns', 'test', 'Tried', ...eleven);
  expect(said).toMatchObject({
    code: 2,
    stderr: expect.stringContaining('A test message goes to 10 addresses at most; nothing was sent'),
  });
  expect(await avendel('campaigns', 'test', 'Tried', 'a@larkfield.example', 'A@larkfield.example')).toMatchObject({
    code: 2,
  });
  expect(sink.received).toHaveLength(had);
});

test('a message of 5 MB, 10,000 links or links of 8 kB is refused in words, and what was kept stays', async () => {
  const { client } = service;
  const id = await makeCampaign(client, list, 'Large');
  const { html } = await client.campaign({ id });
  await expect(client.changeCampaign({ id, html: 'x'.repeat(5_000_000) })).rejects.toThrow('1000000');
  expect((await client.campaign({ id })).html).toBe(html);
  const links = Array.from({ length: 10_000 }, (_, n) => `<a href="https://x.example/${n}">${n}</a>`).join('');
  const { problems } = await client.changeCampaign({ id, html: links });
  expect(problems.map(({ message }) => message)).toEqual([expect.stringContaining('more than 2000 different links')]);
  await expect(client.startCampaign({ id, expect: 3 })).rejects.toThrow('different links');
  const long = `<a href="https://x.example/${'a'.repeat(8000)}">read</a>`;
  expect((await client.changeCampaign({ id, html: long })).problems[0]!.message).toContain(
    'This link has 8018 characters',
  );
});

test('the composer finds each fault, shows its place, completes merge fields, and keeps what it says', async () => {
  const id = await makeCampaign(service.client, list, 'Composed');
  await page.goto(`${service.console}/campaigns/${id}/message`);
  await page.getByRole('heading', { name: 'Nothing stands in the way' }).waitFor();
  await field('HTML').fill(
    '<p>Dear reader of the digest</p>\n<img src="a.jpg">\n<p><a href="htps:/x.example">Evenings</a></p>\n',
  );
  await page.getByRole('heading', { name: '1 thing stands in the way; 1 is worth a look' }).waitFor();
  await page.getByText('HTML, line 3: “htps:/x.example” is not a web address').waitFor();
  await press('Show where: Link 1 leads nowhere');
  await page.keyboard.type('https://larkfield.example/evenings');
  await page.getByRole('heading', { name: 'Nothing stands in the way; 1 is worth a look' }).waitFor();
  await field('HTML').press('Control+End');
  await page.keyboard.type('<p>[[fir');
  await page.getByRole('option', { name: 'first_name' }).click();
  await expect(field('HTML').textContent()).resolves.toContain('<p>[[first_name else ""]]');
  const preview = page.frameLocator('iframe[title="The message as it is seen"]');
  await preview.getByText('picture without a description').waitFor();
  await preview.getByRole('link', { name: 'Evenings' }).waitFor();
  await page.getByText('without pictures', { exact: true }).click();
  await preview.getByText('Dear reader of the digest').waitFor();
  await page.getByText('text', { exact: true }).click();
  await page.getByLabel('The message as plain text').getByText('Dear reader of the digest').waitFor();
  await press('Keep the message');
  await page.getByText('Kept.', { exact: true }).waitFor();
  expect((await service.client.campaign({ id })).html).toContain('https://larkfield.example/evenings');
  expect((await findViolations(page)).violations).toEqual([]);
});

test('the composer sends a test of what is typed, and says what became of each', async () => {
  const id = await makeCampaign(service.client, list, 'Tried as typed');
  await page.goto(`${service.console}/campaigns/${id}/message`);
  await field('Subject').fill('Not kept yet');
  await field('To, up to ten addresses').fill('rosa.lindgard@larkfield.example, eve@larkfield.example');
  await press('Send a test');
  await page.getByText('The relay took the test message to eve@larkfield.example. Look whether it comes.').waitFor();
  expect((await mailTo('eve@larkfield.example')).subject).toBe('Test: Not kept yet');
  expect((await service.client.campaign({ id })).subject).toBe('The sky');
});

test('text alone in the composer: no HTML, its links counted if asked; what the HTML was stays', async () => {
  const id = await makeCampaign(service.client, list, 'Plain');
  await page.goto(`${service.console}/campaigns/${id}/message`);
  await page.getByText('text alone', { exact: true }).click();
  await page.getByRole('heading', { name: '1 thing stands in the way' }).waitFor();
  await field('Plain text').fill('Read https://larkfield.example/december tonight');
  await page.getByText('0 counted links', { exact: false }).waitFor();
  await page.getByLabel('Count who follows its links').check();
  await page.getByText('1 counted link', { exact: false }).waitFor();
  await press('Keep the message');
  await page.getByText('Kept.', { exact: true }).waitFor();
  const kept = await service.client.campaign({ id });
  expect(kept).toMatchObject({ format: 'text', countLinks: true, html: expect.stringContaining('Dear') });
});

test('a service message in the console: its statement, whom it reaches in spite of their wish, the number typed', async () => {
  await service.client.unsubscribeContact({ address: READERS[2]!, reason: 'by telephone' });
  const id = await makeCampaign(service.client, list, 'The evening is moved');
  await page.goto(`${service.console}/campaigns/${id}`);
  await press('Edit the draft');
  await page.getByRole('combobox', { name: 'Purpose' }).click();
  await page.getByRole('option', { name: 'service' }).click();
  await field('Why each recipient has to get it').fill('x');
  await press('Save the draft');
  await page.getByText('A service message needs a statement', { exact: false }).waitFor();
  await press('Edit the draft');
  await field('Why each recipient has to get it').fill('Whoever holds a ticket has to know that the evening is moved.');
  await press('Save the draft');
  await page.getByRole('heading', { name: '3 of 3 will get this' }).waitFor();
  await page.getByText('although they opted out').getByRole('button', { name: '1' }).click();
  await page.getByRole('cell', { name: READERS[2] }).waitFor();
  await press('Send to 3');
  const send = page.getByRole('button', { name: 'Yes, send it to 3' });
  await expect(send.isDisabled()).resolves.toBe(true);
  await page.getByLabel(/It reaches 1 who would get no marketing/).fill('2');
  await expect(send.isDisabled()).resolves.toBe(true);
  await page.getByLabel(/It reaches 1 who would get no marketing/).fill('1');
  await send.click();
  await until(async () => (await service.client.campaign({ id })).state === 'finished');
  expect((await mailTo(READERS[2]!)).subject).toBe('The sky');
});

test('a service message by command line: the number is part of what is said, or it does not leave', async () => {
  const said = [
    'campaigns',
    'create',
    'Notice',
    '--list',
    'Night Digest',
    '--purpose',
    'service',
    '--subject',
    'A notice',
  ];
  const html = file('notice.html', '<p>Your evening is moved. Take 20 % off the next one.</p>');
  const statement = 'Whoever holds a ticket has to know that the evening is moved.';
  await avendel(...said, '--html', html, '--statement', statement);
  expect((await avendel('campaigns', 'check', 'Notice')).stdout).toContain('! This looks like an offer');
  const preflight = (await avendel('campaigns', 'preflight', 'Notice')).stdout;
  expect(preflight).toContain('Among them, because its purpose is service: 1 although they opted out');
  expect(preflight).toMatch(/Worth a look \(avendel campaigns check \d+\): This looks like an offer/);
  expect(preflight).toMatch(/--expect 3 --in-spite 1 --draft 1/);
  expect((await avendel('campaigns', 'held-back', 'Notice', '--in-spite-of', 'unsubscribed')).stdout).toContain(
    READERS[2],
  );
  expect(await avendel('campaigns', 'send', 'Notice', '--expect', '3')).toMatchObject({
    code: 1,
    stderr: expect.stringContaining('reaches 1 who opted out, complained or are at sunset; 0 were said'),
  });
  expect(await avendel('campaigns', 'send', 'Notice', '--expect', '3', '--in-spite', '1', '--watch')).toMatchObject({
    code: 0,
  });
});

test('a service message never reaches whoever blocked everything', async () => {
  const { client } = service;
  const blocked = await client.createSuppressionList({ name: 'By letter', scope: 'organisation', reach: 'everything' });
  await client.addEntries({ id: blocked.id, values: [READERS[1]!], reason: 'wrote a letter' });
  const had = sink.received.filter(({ to }) => to === READERS[1]).length;
  await client.createCampaign({
    brandId: list.brandId,
    name: 'Once more',
    purpose: 'service',
    statement: 'Whoever holds a ticket has to know that the evening is moved.',
    subject: 'Once more',
    html: '<p>Once more: the evening is moved</p>',
    listIds: [list.id],
  });
  const { id } = (await client.campaigns()).items.find(({ name }) => name === 'Once more')!;
  expect(await client.preflight({ id })).toMatchObject({ willGet: 2, reachedInSpite: 1 });
  await client.startCampaign({ id, expect: 2, inSpite: 1 });
  await until(async () => (await client.campaign({ id })).state === 'finished');
  expect(sink.received.filter(({ to }) => to === READERS[1])).toHaveLength(had);
  await atRest(page);
});
