import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { Browser, Page } from 'playwright-core';
import { type OutsideWorld } from '../../src/simulator/outside/outside-world.ts';
import { findViolations } from '../support/axe.ts';
import { atRest, gone, openBrowser, signIn, giveFile } from '../support/browser.ts';
import { makeCampaign, makeList, startRealService, until, type Running } from '../support/service.ts';
import { startOutside } from '../support/outside.ts';

const PEOPLE = [
  'reads.ada',
  'clicks.bo',
  'gone.cy',
  'bounces.di',
  'complains.ed',
  'leaves.fay',
  'writes.gus',
  'silent.hal',
];

let service: Running;
let outside: OutsideWorld;
let browser: Browser;
let draftId: number;
let sentId: number;
let complainer: number;
let signUpUrl: string;
let preferencesUrl: string;

beforeAll(async () => {
  service = await startRealService();
  outside = await startOutside(service);
  const list = await makeList(
    service.client,
    PEOPLE.map((name) => `${name}@lanternpost.example`),
  );
  sentId = await makeCampaign(service.client, list, 'Night Digest 1');
  draftId = await makeCampaign(service.client, list, 'Night Digest 2');
  const doNotWrite = await service.client.createSuppressionList({ name: 'Do not write' });
  await service.client.addEntries({
    id: doNotWrite.id,
    values: ['silent.hal@lanternpost.example', '.alumni.campusnet.example'],
    reason: 'asked by telephone',
  });
  complainer = (await service.client.check({ address: 'complains.ed@lanternpost.example' })).contact!.id;
  const members = await service.client.createList({ brandId: list.brandId, name: 'Members’ Letter', optIn: 'double' });
  signUpUrl = members.signUpUrl;
  browser = await openBrowser();
});
afterAll(async () => {
  await browser.close();
  await outside.stop();
  await service.stop();
});

/** The preference page behind the message that was sent, as its way out leads there. */
async function wayOut(): Promise<string> {
  const preview = await service.client.preview({ id: sentId, address: 'reads.ada@lanternpost.example' });
  return /https?:\/\/[^"\s>]+\/out\/[a-z2-7]+/.exec(JSON.stringify(preview))![0].replace('/out/', '/choose/');
}

/** Through the four steps of an act to its end. */
async function fourSteps(page: Page, button: RegExp, why: string): Promise<void> {
  await page.getByRole('button', { name: 'See what it would change' }).click();
  await page.getByRole('button', { name: 'Say why' }).click();
  await page.getByLabel('Why').fill(why);
  const mailable = page.getByLabel(/How many of them may still be written to\? Type/);
  if ((await mailable.count()) > 0) {
    expect(await page.getByRole('button', { name: button }).isDisabled()).toBe(true);
    await mailable.fill(
      /Type (\d+)/.exec(
        (await page
          .getByText(/Type \d+/)
          .first()
          .textContent())!,
      )![1]!,
    );
  }
  await page.getByRole('button', { name: button }).click();
  // Where what was acted upon is gone with the act, its run stands among what was decided.
  await page
    .getByText(/^Applied as run/)
    .or(page.getByRole('link', { name: /^run \d+$/ }))
    .first()
    .waitFor();
}

test('a draft is deleted after it is asked once more, and what names a sent campaign has no such button', async () => {
  const page = await signIn(browser, service);
  const { brandId } = await service.client.campaign({ id: draftId });
  const { id } = await service.client.createCampaign({
    brandId,
    name: 'A slip',
    listIds: [(await service.client.lists()).find((list) => list.brandId === brandId)!.id],
    subject: 'x',
    html: '<p>x</p>',
  });
  await page.goto(`${service.console}/campaigns/${id}`);
  await page.getByRole('button', { name: 'Delete A slip' }).click();
  await page.getByRole('button', { name: 'Edit the draft' }).focus();
  // Whoever goes on to something else has not said yes.
  await page.getByRole('button', { name: 'Delete A slip' }).click();
  await page.getByRole('button', { name: 'Yes, delete A slip' }).click();
  await page.getByRole('button', { name: 'New campaign' }).waitFor();
  await gone(page.getByRole('link', { name: 'A slip' }));
  await page.goto(`${service.console}/campaigns/${id}`);
  await page.getByText(`There is no campaign ${id}`).first().waitFor();
});

test('the loop in the console: preflight, send, what came back, and the second campaign holds them back', async () => {
  const page = await signIn(browser, service);
  await page.goto(`${service.console}/campaigns/${sentId}`);
  await page.getByRole('heading', { name: '7 of 8 will get this' }).waitFor();
  await page.getByRole('button', { name: /suppressed/ }).click();
  await page.getByRole('cell', { name: 'silent.hal@lanternpost.example' }).waitFor();
  await page.getByRole('button', { name: 'Send to 7' }).click();
  // It asks once more, with what it is and whom it goes to.
  const sure = page.getByRole('group', { name: 'Send it?' });
  await sure.getByText(/^Night Digest 1, with the subject “.+”, leaves for 7 people at once\.$/).waitFor();
  await sure
    .getByText('Of the first 7: from reads.ada@lanternpost.example to writes.gus@lanternpost.example.')
    .waitFor();
  await sure.getByRole('button', { name: 'Not yet' }).click();
  expect((await service.client.campaign({ id: sentId })).state).toBe('draft');
  await page.getByRole('button', { name: 'Send to 7' }).click();
  await page.getByRole('button', { name: 'Yes, send it to 7' }).click();
  await page.getByRole('heading', { name: /^\d+ (person|people) opened it/ }).waitFor({ timeout: 20_000 });
  await until(async () => {
    const came = await service.client.report({ id: sentId });
    expect(came).toMatchObject({
      complained: 1,
      unsubscribed: 2,
      bounced: { hard: 1 },
      refusedAs: { hard: 1 },
      clicked: { human: 1, any: 1 },
    });
    return true;
  });
  await page.goto(`${service.console}/campaigns/${draftId}`);
  await page.getByRole('heading', { name: '2 of 8 will get this' }).waitFor();
  for (const reason of ['2 undeliverable', '1 suppressed', '1 complained', '2 unsubscribed']) {
    const [contacts, word] = reason.split(' ');
    expect(await page.getByRole('button', { name: new RegExp(`^${word}`) }).textContent()).toContain(contacts);
  }
  await page.keyboard.press('/');
  await page.keyboard.type('complains.ed@lanternpost.example');
  await page.keyboard.press('Enter');
  await page.getByText('We may not write for Larkfield Observatory').waitFor();
  await page.getByRole('link', { name: 'Open the contact' }).click();
  await page
    .getByRole('heading', { name: /We may not write to Reader 4 for Larkfield Observatory: complained/ })
    .waitFor();
  await page.getByText('Only a fresh confirmation by the contact lifts a complaint.').waitFor();
});

test('an entry is added and lifted by a person, the rule is tried and applied, and a run is undone', async () => {
  const page = await signIn(browser, service);
  await page.goto(`${service.console}/suppression`);
  await page.getByRole('button', { name: 'Add entries' }).click();
  await page.getByLabel(/one a line/).fill('clicks.bo@lanternpost.example\nnonsense');
  await page.getByLabel('Reason').fill('asked in person');
  await page.getByRole('button', { name: 'Enter them on Do not write' }).click();
  await page.getByText('1 entered, 0 stood there already').waitFor();
  await page.getByText('Line 2, “nonsense”').waitFor();
  await page.getByLabel('May we write to').fill('clicks.bo+moon@lanternpost.example');
  await page.getByLabel('May we write to').press('Enter');
  await page.getByRole('heading', { name: 'No, nothing at all.' }).waitFor();
  await page.getByRole('link', { name: /^Run \d+$/ }).click();
  await page.getByLabel('Why').fill('a mistake');
  await page.getByRole('button', { name: 'Put everything back' }).click();
  await page.getByRole('heading', { name: 'Undone', exact: true }).waitFor();
  expect((await service.client.check({ address: 'clicks.bo@lanternpost.example' })).brands[0]!.eligible).toBe(true);

  await page.goto(`${service.console}/rules`);
  await page.getByLabel('Days of grace').fill('0');
  await page.getByLabel('Messages of grace').fill('1');
  await page
    .getByRole('heading', { name: /would move/ })
    .first()
    .waitFor();
  await page.getByRole('button', { name: 'See what it would change' }).click();
  await page.getByRole('button', { name: 'Say why' }).click();
  await page.getByLabel('Why').fill('a shorter grace');
  await page.getByRole('button', { name: /^Move \d+$/ }).click();
  await page.getByRole('heading', { name: 'Everybody stands where the ladder puts them' }).waitFor();
  expect((await service.client.sunsetRule({ brandId: 1 })).rule.grace).toEqual({ days: 0, messages: 1 });

  await page.getByLabel('Points of joining').fill('60');
  await page.getByLabel('Points of sent', { exact: true }).fill('-1');
  await page.getByLabel('Days that sent lasts').fill('10');
  await page.getByLabel('Why').fill('who does not answer sinks');
  await page.getByRole('button', { name: 'Keep this score' }).click();
  await page.getByText('who does not answer sinks').waitFor();
  const { rule, version } = await service.client.scoreRule({ brandId: 1 });
  expect([version, rule.joining, rule.acts.at(-1)]).toEqual([
    1,
    { points: 60, days: 60 },
    { act: 'sent', points: -1, days: 10 },
  ]);
});

/** Gives a file to be imported onto the first list. */
async function giveImport(page: Page, name: string, text: string): Promise<void> {
  await page.goto(`${service.console}/contacts/import`);
  await giveFile(page, name, text);
  await page.getByRole('combobox', { name: 'List' }).click();
  await page.getByRole('option', { name: 'Night Digest' }).click();
}

test('a file is imported after its dry run; contacts are archived, one is unsubscribed as they asked, one is erased', async () => {
  const page = await signIn(browser, service);
  await giveImport(
    page,
    'evening.csv',
    'address,name,visits\nnew.nora@quillmail.example,Nora New,7\nnonsense,,\nsilent.hal@lanternpost.example,Hal,2',
  );
  await page.getByRole('combobox', { name: 'What visits is' }).click();
  await page.getByRole('option', { name: 'Number' }).click();
  await page.getByRole('button', { name: 'Dry run' }).click();
  await page.getByRole('button', { name: /^Import [12] rows?$/ }).click();
  await page
    .getByText('2 of 3 rows came in or changed something')
    .or(page.getByText('1 of 3 rows came in or changed something'))
    .waitFor();
  const nora = (await service.client.check({ address: 'new.nora@quillmail.example' })).contact!;
  expect((await service.client.contact({ id: nora.id })).attributes).toEqual({ visits: 7 });

  await page.goto(`${service.console}/contacts/${nora.id}`);
  await page.getByRole('button', { name: 'Unsubscribe, as they asked' }).click();
  await page.getByLabel('What did they say, and how?').fill('by telephone');
  await page.getByRole('button', { name: /^No more from/ }).click();
  await page.getByRole('heading', { name: /We may not write to Nora New/ }).waitFor();

  await page.goto(`${service.console}/contacts/cost`);
  await fourSteps(page, /^Archive \d+$/, 'they cost');
  const { unreachable, archived } = await service.client.cost();
  expect({ unreachable, any: archived > 1 }).toEqual({ unreachable: 0, any: true });
  await page.goto(`${service.console}/contacts/${nora.id}`);
  await page.getByRole('button', { name: 'Restore from the archive' }).click();
  await page.getByLabel('Why').fill('asked to be taken back');
  await page.getByRole('button', { name: 'Restore', exact: true }).click();
  await until(async () => (await service.client.cost()).archived === archived - 1);
  await page.goto(`${service.console}/contacts`);
  await page.getByRole('checkbox', { name: 'Pick new.nora@quillmail.example' }).check();
  await page.getByRole('combobox', { name: 'What to do' }).click();
  await page.getByRole('option', { name: 'Tag them' }).click();
  await page.getByLabel('The tag').fill('telephone');
  await page.getByRole('button', { name: 'Count whom it would change' }).click();
  await fourSteps(page, /^Tag 1$/, 'she called');
  expect((await service.client.contact({ id: nora.id })).tags).toEqual(['telephone']);

  await page.goto(`${service.console}/contacts/${nora.id}`);
  await page.getByRole('button', { name: 'Erase this person' }).click();
  await page.getByLabel('Why').fill('asked by letter');
  const erase = page.getByRole('button', { name: 'Erase for good' });
  expect(await erase.isDisabled()).toBe(true);
  await page.getByLabel(/Type 1/).fill('1');
  await erase.click();
  await page.getByRole('heading', { name: '1 erased' }).waitFor();
  await page.getByText('Nothing that says whom it concerned is kept.').waitFor();
  expect((await service.client.check({ address: 'new.nora@quillmail.example' })).contact).toBeNull();
});

test('somebody signs up on the page for strangers, waits in the console, and confirms by the button', async () => {
  const page = await signIn(browser, service);
  const stranger = await (await browser.newContext({ javaScriptEnabled: false })).newPage();
  await stranger.goto(signUpUrl);
  await stranger.getByLabel('Your email address').fill('silent.olga@quillmail.example');
  await stranger.getByRole('button', { name: 'Sign up' }).click();
  await stranger.getByRole('heading', { name: 'Look into your mailbox' }).waitFor();
  await page.goto(`${service.console}/contacts/waiting`);
  await page.getByRole('heading', { name: '1 subscription waits to be confirmed' }).waitFor();
  await page.getByRole('link', { name: 'silent.olga@quillmail.example' }).click();
  await page.getByText('waits to confirm').waitFor();
});

test('a pasted list is answered both ways, and those on it are archived', async () => {
  const page = await signIn(browser, service);
  await page.goto(`${service.console}/contacts/reconcile`);
  await page.getByLabel('Or paste it').fill('READS.ADA@lanternpost.example\nnobody@quillmail.example\nnonsense');
  await page.getByRole('button', { name: 'Hold it against the base' }).click();
  await page.getByRole('heading', { name: '1 of 3 is in the base' }).waitFor();
  await page.getByRole('link', { name: 'reads.ada@lanternpost.example' }).waitFor();
  await page.getByText('On it, not in the base').click();
  await page.getByText('nobody@quillmail.example').waitFor();
  await gone(page.getByRole('combobox', { name: 'What to do' }));
  // What names nobody is not somebody whom we do not have.
  await gone(page.getByText('nonsense'));
  await page.getByText('No address', { exact: true }).click();
  await page.getByRole('row', { name: /nonsense/ }).waitFor();
  await page.getByText('On it, not in the base').click();
  await page.getByRole('combobox', { name: 'Suppression list' }).click();
  await page.getByRole('option', { name: 'Do not write' }).click();
  await fourSteps(page, /^Suppress 1$/, 'not ours');
  expect((await service.client.check({ address: 'nobody@quillmail.example' })).entries).toMatchObject([
    { reason: 'not ours' },
  ]);
  const answer = page.url();
  await page.getByRole('combobox', { name: 'List that they join' }).click();
  await page.getByRole('option', { name: 'Night Digest' }).click();
  await page.getByRole('button', { name: 'Read them as an import' }).click();
  await page.getByRole('heading', { name: /^\d of 1 rows would come in or change something/ }).waitFor();
  await page.getByText('pasted list, not in the base').first().waitFor();
  expect((await service.client.check({ address: 'nobody@quillmail.example' })).contact).toBeNull();
  await page.goto(answer);
  await page.getByText('On it, in the base').click();
  await page.getByRole('combobox', { name: 'What to do' }).click();
  await page.getByRole('option', { name: 'Archive them' }).click();
  await page.getByRole('button', { name: 'Count whom it would change' }).click();
  await page.getByText(/^1 of them may still be written to: 1 by Larkfield Observatory\.$/).waitFor();
  await fourSteps(page, /^Archive 1$/, 'on their list');
  expect((await service.client.check({ address: 'reads.ada@lanternpost.example' })).contact!.archivedAt).not.toBeNull();
});

test('what is refused and held when addresses come in is set, seen in an import, and decided there', async () => {
  const page = await signIn(browser, service);
  await page.goto(`${service.console}/contacts/addresses`);
  await page.getByRole('heading', { name: 'No domain looks like a slip of another' }).waitFor();
  await page.getByRole('combobox', { name: 'A post, not a person' }).click();
  await page.getByRole('option', { name: 'hold' }).click();
  await page.getByLabel('Address or domain').fill('.rival.example');
  await page.getByLabel('Why it is refused').fill('a rival');
  await page.getByRole('button', { name: 'Refuse', exact: true }).click();
  await page.getByRole('cell', { name: '.rival.example', exact: true }).waitFor();
  await page.getByLabel('Addresses to check').fill('ann@sub.rival.example\ninfo@quillmail.example');
  await page.getByRole('button', { name: 'Check 2 addresses' }).click();
  await page.getByRole('cell', { name: 'refused', exact: true }).waitFor();
  await page.getByRole('cell', { name: 'held', exact: true }).waitFor();

  await giveImport(
    page,
    'posts.csv',
    'address\ninfo@quillmail.example\nann@sub.rival.example\nokay.olaf@quillmail.example',
  );
  await page.getByRole('button', { name: 'Dry run' }).click();
  await page.getByRole('button', { name: 'Import 1 row', exact: true }).click();
  await page.getByRole('heading', { name: '1 of 3 rows came in or changed something' }).waitFor();
  await page.getByRole('heading', { name: '1 row waits for your decision' }).waitFor();
  await page.getByRole('button', { name: 'Take them in as they are' }).click();
  await page.getByRole('heading', { name: '1 of 1 rows came in or changed something' }).waitFor();
  expect((await service.client.check({ address: 'info@quillmail.example' })).contact).not.toBeNull();
});

test('a verifier is heard: its words are said once, the verdicts act, and whoever was found is tagged', async () => {
  const page = await signIn(browser, service);
  await page.goto(`${service.console}/contacts/verifications`);
  await giveFile(
    page,
    'verified.csv',
    'email,verdict,verifier,checked at\nokay.olaf@quillmail.example,risky,Harbour Checks,2026-11-01\ninfo@quillmail.example,no such desk,Harbour Checks,2026-11-01T09:00:00Z\nads@quillmail.example,odd,Harbour Checks,\nann@quillmail.example,strange,Harbour Checks,',
  );
  // The file says itself who checked, and when.
  await until(async () => (await page.getByLabel('Who verified').inputValue()) === 'Harbour Checks');
  await expect(page.getByLabel('When').inputValue()).resolves.toBe('2026-11-01');
  await page.getByRole('button', { name: 'Read it' }).click();
  await page.getByRole('heading', { name: 'What do 4 words of Harbour Checks mean?' }).waitFor();
  await page.getByText(/checked by Harbour Checks on 1 Nov/).waitFor();
  await page.getByRole('combobox', { name: '“no such desk”' }).click();
  await page.getByRole('option', { name: 'undeliverable' }).click();
  await page.getByRole('combobox', { name: 'All that is not said below means' }).click();
  await page.getByRole('option', { name: 'unknown' }).click();
  await page.getByRole('button', { name: 'Keep this for Harbour Checks' }).click();
  await page.getByRole('heading', { name: '2 of 4 addresses would be acted on' }).waitFor();
  await page.getByRole('button', { name: 'See what it would change' }).click();
  await page.getByText(/1 contact undeliverable: suppressed on “.+”\. /).waitFor();
  await page.getByText(/1 contact risky: tagged with “verdict:risky”/).waitFor();
  await page.getByRole('button', { name: 'Say why' }).click();
  await page.getByLabel('Why').fill('monthly check');
  await page.getByRole('button', { name: 'Apply to 2' }).click();
  await page
    .getByText(/^Applied as run|^Applied to 4 addresses/)
    .first()
    .waitFor();
  expect((await service.client.check({ address: 'info@quillmail.example' })).brands[0]!.deciding).toBe('undeliverable');

  await page.goto(`${service.console}/contacts?tag=verdict:risky`);
  await page.getByRole('heading', { name: '1 contact matches' }).waitFor();
  await page.getByRole('combobox', { name: 'What to do' }).click();
  await page.getByRole('option', { name: 'Tag them' }).click();
  await page.getByLabel('The tag').fill('look again');
  await page.getByRole('button', { name: 'Count whom it would change' }).click();
  await fourSteps(page, /^Tag 1$/, 'to be asked');
  const { contact } = await service.client.check({ address: 'okay.olaf@quillmail.example' });
  expect(contact).toMatchObject({ tags: ['verdict:risky', 'look again'], verdict: 'risky' });
});

describe.each(['light', 'dark'] as const)('axe-core finds no violation in the %s theme', (colorScheme) => {
  let page: Page;
  beforeAll(async () => {
    page = await signIn(browser, service, { colorScheme });
    preferencesUrl = await wayOut();
  });

  test.each([
    '/',
    '/contacts',
    '/contacts/import',
    '/contacts/waiting',
    '/contacts/cost',
    '/contacts/reconcile',
    '/contacts/reconcile/1',
    '/contacts/addresses',
    '/contacts/machines',
    '/segments',
    '/segments/new?condition=read%20in%20the%20last%2030%20days%20and%20not%20(archived%20or%20automated)',
    '/contacts?where=clicked',
    '/contacts/verifications',
    '/contacts/verifications/1',
    '/contacts?part=r',
    'contact',
    'form',
    'preferences',
    '/campaigns',
    'draft',
    'sent',
    '/suppression',
    '/rules',
    '/settings',
    '/runs',
    '/runs/1',
    '/returns',
    '/returns/1',
  ])('%s', async (path) => {
    const places: Record<string, string> = {
      contact: `/contacts/${complainer}`,
      draft: `/campaigns/${draftId}`,
      sent: `/campaigns/${sentId}`,
    };
    const strangers: Record<string, string> = { form: signUpUrl, preferences: preferencesUrl };
    await page.goto(strangers[path] ?? `${service.console}${places[path] ?? path}`);
    await page.getByRole('heading', { level: 1 }).waitFor();
    await atRest(page);
    const { passes, violations } = await findViolations(page);
    expect(passes).toBeGreaterThan(path in strangers ? 8 : 15);
    expect(violations).toEqual([]);
  });
});

test('a provider has a bad day: held, shown and dismissed; its dead addresses: held and released; a return is matched by hand', async () => {
  const addresses = Array.from(
    { length: 80 },
    (_, index) => `member${index}@${index < 40 ? 'campusnet' : 'hearthmail'}.example`,
  );
  const list = await makeList(service.client, addresses, 'Open Evenings');
  const ago = (hours: number): string => new Date(Date.now() - hours * 3_600_000).toISOString();
  const [before, recent] = [await recorded('Evening 1', ago(72)), await recorded('Evening 2', ago(0.5))];
  async function recorded(name: string, startedAt: string): Promise<number> {
    const written = { brandId: list.brandId, name, subject: name, html: '<p>Come</p>', listIds: [list.id] };
    return (await service.client.recordCampaign({ ...written, startedAt })).id;
  }
  const event = (kind: string, address: string, campaignId: number, at: string, more = {}): string =>
    JSON.stringify({
      kind,
      at,
      source: 'elsewhere',
      externalId: `${kind} ${address} ${campaignId}`,
      address,
      campaignId,
      ...more,
    });
  const sent = addresses.flatMap((address) => [
    event('sent', address, before, ago(72)),
    event('sent', address, recent, ago(0.5)),
  ]);
  const refused = addresses.map((address) =>
    event('bounced', address, recent, ago(0.1), { class: 'hard', reply: '550 5.1.1 user unknown' }),
  );
  await service.client.recordEvents({ file: [...sent, ...refused].join('\n') });

  const page = await signIn(browser, service);
  await page.getByText('campusnet.example suddenly refuses 40 contacts for good').waitFor();
  await page.getByRole('link', { name: 'Decide' }).first().click();
  const campus = page.locator('section', { hasText: 'campusnet.example: 40 contacts refused' });
  await campus.getByLabel('How do you know?').fill('their status page says so');
  await campus.getByRole('button', { name: 'Count them against nobody' }).click();
  await campus.waitFor({ state: 'detached' });
  await page.getByText('their status page says so').waitFor();
  await fourSteps(page, /^Mark 40$/, 'the provider closed them');
  const check = async (address: string): Promise<string | undefined> =>
    (await service.client.check({ address })).contact?.deliverability;
  expect([await check(addresses[0]!), await check(addresses[79]!)]).toEqual(['deliverable', 'undeliverable']);

  const stray =
    'From: mailer-daemon@campusnet.example\nTo: office@larkfield.example\nSubject: Undelivered mail\n\nYour message could not be delivered:\n\nmember3@campusnet.example\nno such user\n';
  const { id } = await service.client.receiveReturn({ file: stray });
  await page.goto(`${service.console}/returns/${id}`);
  await page.getByRole('heading', { name: /^Bounce: about no message of ours/ }).waitFor();
  await page.getByRole('button', { name: 'It is about them: count it' }).click();
  await page.getByRole('heading', { name: 'Bounce: it counts' }).waitFor();
  await page.goto(`${service.console}/returns?state=counted`);
  await page.getByText('matched by').first().waitFor();
});

test('on a phone nothing runs out of the page', async () => {
  const page = await signIn(browser, service, { viewport: { width: 390, height: 800 } });
  for (const path of [
    '/',
    '/contacts',
    '/contacts/waiting',
    '/contacts/cost',
    '/contacts/reconcile/1',
    '/contacts/addresses',
    '/contacts/machines',
    '/segments',
    '/segments/new?condition=read%20in%20the%20last%2030%20days%20and%20not%20(archived%20or%20automated)',
    '/contacts?where=clicked',
    '/contacts/verifications/1',
    '/contacts?part=r',
    `/contacts/${complainer}`,
    `/campaigns/${draftId}`,
    `/campaigns/${sentId}`,
    '/suppression',
    '/rules',
    '/settings',
  ]) {
    await page.goto(`${service.console}${path}`);
    await page.getByRole('heading', { level: 1 }).waitFor();
    await atRest(page);
    expect([path, await page.evaluate('document.documentElement.scrollWidth')]).toEqual([path, 390]);
    expect([path, await page.evaluate(CELLS_ON_EACH_OTHER)]).toEqual([path, []]);
  }
  await page.goto(`${service.console}/campaigns`);
  await page.locator('table.folds tbody td.figure').first().waitFor();
  // Whoever sees a figure without the heads above it reads what it counts.
  expect(await page.evaluate(FIGURES_WITHOUT_HEAD)).toEqual([]);
});

/** Texts of cells of folded rows that lie on each other, by their lines. */
const CELLS_ON_EACH_OTHER = `(() => {
  const lines = (cell) => { const range = document.createRange(); range.selectNodeContents(cell); return [...range.getClientRects()].filter(({ width, height }) => width > 1 && height > 1); };
  const onEachOther = (a, b) => a.left < b.right - 1 && b.left < a.right - 1 && a.top < b.bottom - 1 && b.top < a.bottom - 1;
  return [...document.querySelectorAll('table.folds tr')].flatMap((row) => {
    const cells = [...row.cells].map((cell) => [cell.innerText, lines(cell)]);
    return cells.flatMap(([text, mine], place) => cells.slice(place + 1).filter(([, others]) => mine.some((a) => others.some((b) => onEachOther(a, b)))).map(([other]) => text + ' | ' + other));
  });
})()`;
const FIGURES_WITHOUT_HEAD = `[...document.querySelectorAll('table.folds tbody td.figure')]
  .filter((cell) => cell.innerText !== '' && ['none', '" "'].includes(getComputedStyle(cell, '::before').content))
  .map((cell) => cell.innerText)`;
