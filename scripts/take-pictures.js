// Takes the pictures of docs/screenshots/ from a service that runs on the demo world.
// Usage: AVENDEL_SERVICE=… AVENDEL_EMAIL=… AVENDEL_PASSWORD=… node scripts/take-pictures.js FOLDER [name …]
import { mkdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { chromium } from 'playwright-core';

const base = process.env.AVENDEL_SERVICE ?? 'http://127.0.0.1:7400';
const folder = process.argv[2] ?? 'docs/screenshots';
const wanted = process.argv.slice(3);
const DESK = { width: 1280, height: 800 };
const PHONE = { width: 390, height: 844 };
const ARGS = JSON.parse(readFileSync(new URL('chromium-arguments.json', import.meta.url), 'utf8'));

const browser = await chromium.launch({ executablePath: '/usr/bin/chromium', args: ARGS });
mkdirSync(folder, { recursive: true });

async function open(viewport, colorScheme) {
  const context = await browser.newContext({ viewport, colorScheme, deviceScaleFactor: 1, reducedMotion: 'reduce' });
  const page = await context.newPage();
  await page.goto(base);
  await page.getByLabel('Address').fill(process.env.AVENDEL_EMAIL ?? 'rosa.lindgard@larkfield.example');
  await page
    .getByLabel('Password')
    .first()
    .fill(process.env.AVENDEL_PASSWORD ?? '');
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('navigation', { name: 'Places' }).waitFor();
  return page;
}

async function campaignNumber(page, name) {
  return page.evaluate(async (wantedName) => {
    const found = await (await fetch('/api/v1/campaigns?limit=200')).json();
    return (
      found.items.find((one) => one.name === wantedName)?.id ?? found.items.find((one) => one.state === 'finished')?.id
    );
  }, name);
}

async function contactOn(page, listName) {
  return page.evaluate(async (name) => {
    const lists = await (await fetch('/api/v1/suppression-lists')).json();
    const list = lists.find((one) => one.name === name);
    const { items } = await (await fetch(`/api/v1/suppression-lists/${list.id}/entries?standing=in-effect`)).json();
    return (await (await fetch(`/api/v1/check?address=${encodeURIComponent(items[0].value)}`)).json()).contact.id;
  }, listName);
}

async function signUpUrl(page, listName) {
  return page.evaluate(async (name) => {
    const lists = await (await fetch('/api/v1/lists')).json();
    return lists.find((one) => one.name === name).signUpUrl;
  }, listName);
}

const FAULTY = `<h1>What to find in the December sky</h1>
<p>Dear [[first_name else "stargazer"]], the nights are long now. Three things to look for without a telescope.</p>
<img src="https://larkfield.example/geminids.jpg">
<p><a href="https://larkfield.example/december">Read on</a></p>
<p><a href="htps:/larkfield.example/evenings">Evenings</a></p>`;

async function someReader(page) {
  return page.evaluate(async () => {
    const { items } = await (await fetch('/api/v1/contacts?brandId=1&limit=20')).json();
    return items.find((one) => one.name).address;
  });
}

const PICTURES = {
  today: async (page) => page.goto(`${base}/`),
  contacts: async (page) => page.goto(`${base}/contacts`),
  contact: async (page) => page.goto(`${base}/contacts/${await contactOn(page, 'Bounce count')}`),
  // A dry run of the fair's file: what was held waits below.
  import: async (page) => {
    await page.goto(`${base}/contacts/import`);
    await page.locator('input[type=file]').setInputFiles('.avendel/demo/summer-fair.csv');
    await page.getByRole('combobox', { name: 'List' }).click();
    await page.getByRole('option', { name: 'Open Evenings' }).click();
    await page.getByRole('button', { name: 'Dry run' }).click();
    await page.getByRole('heading', { name: /would wait for your decision/ }).waitFor();
    await page.getByRole('button', { name: 'Try them as they are' }).first().waitFor();
  },
  addresses: async (page) => {
    await page.goto(`${base}/contacts/addresses`);
    await page.getByLabel('Addresses to check').fill('ada.brandt@lanternpots.example info@quillmail.example');
    await page.getByRole('button', { name: /^Check/ }).click();
    await page.getByText('Meant:').first().waitFor();
  },
  'sign-up': async (page) => page.goto(await signUpUrl(page, 'Members’ Letter')),
  segment: async (page) => {
    await page.goto(`${base}/segments`);
    await page.getByRole('link', { name: 'Digest readers who are not members' }).click();
    await page.getByRole('heading', { name: /^From everyone to/ }).waitFor();
    await page.getByLabel('Address to try').fill('emrys.lark@tollgate-freight.example');
    await page.getByLabel('Address to try').press('Enter');
    await page.getByText(/^(In|Out)$/).waitFor();
  },
  // What is typed is not kept.
  composer: async (page) => {
    await page.goto(`${base}/campaigns/${await campaignNumber(page, 'The December sky')}/message`);
    const field = (name) => page.getByRole('textbox', { name, exact: true });
    await field('Shown after it in the list of messages').fill('Geminids, a bright Jupiter, the longest night');
    await field('HTML').fill(FAULTY);
    await page.getByLabel('As another contact gets it').fill(await someReader(page));
    await page.getByLabel('As another contact gets it').press('Enter');
    await field('To, up to ten addresses').fill('rosa.lindgard@larkfield.example');
    await page.getByRole('heading', { name: '1 thing stands in the way; 1 is worth a look' }).waitFor();
  },
  preflight: async (page) =>
    page.goto(`${base}/campaigns/${await campaignNumber(page, process.env.AVENDEL_DRAFT ?? 'The December sky')}`),
  // With `hearthmail.example dead` in bad-days.txt (docs/returns.md), “The December sky” sent, the engaged first.
  sending: async (page) => {
    await page.goto(`${base}/campaigns/${await campaignNumber(page, 'The December sky')}`);
    await page.getByRole('heading', { name: /^The brake stopped/ }).waitFor();
  },
  report: async (page) => {
    await page.goto(`${base}/campaigns/${await campaignNumber(page, process.env.AVENDEL_REPORT ?? 'Night Digest 60')}`);
    await page.getByText('within the first hour').waitFor();
  },
  suppression: async (page) => {
    await page.goto(`${base}/suppression`);
    await page.getByLabel('May we write to').fill('dome-bookings+moon@campusnet.example');
    await page.getByLabel('May we write to').press('Enter');
  },
  // After a provider's bad day (docs/returns.md), and an unmatched return or two.
  returns: async (page) => {
    await page.goto(`${base}/returns`);
    await page
      .getByRole('heading', { name: /refused for good/ })
      .first()
      .waitFor();
  },
  return: async (page) => {
    await page.goto(`${base}/returns`);
    await page.getByRole('link', { name: 'bounce', exact: true }).first().click();
    await page.getByRole('heading', { name: 'The message' }).waitFor();
  },
  rules: async (page) => page.goto(`${base}/rules`),
  // After `avendel machines apply`.
  machines: async (page) => page.goto(`${base}/contacts/machines`),
  // Somebody behind a link scanner, who clicks too.
  'time-line': async (page) => {
    await page.goto(`${base}/contacts?part=emrys.lark@tollgate`);
    await page.getByRole('link', { name: /Lark/ }).first().click();
    await page.getByRole('heading', { name: 'Time line' }).waitFor();
    await page.goto(`${page.url()}?kinds=opened,clicked,visited`);
  },
  'first-steps': async (page) => {
    await page.goto(`${base}/brand/${await newBrand(page)}/`);
    await page.getByRole('heading', { name: /^First steps/ }).waitFor();
  },
};

/** A brand that has only been made, for its first steps. */
async function newBrand(page) {
  return page.evaluate(async () => {
    const [brands, { csrf }] = [
      await (await fetch('/api/v1/brands')).json(),
      await (await fetch('/api/v1/session')).json(),
    ];
    const made = brands.find((one) => one.name === 'Larkfield Friends');
    if (made) return made.id;
    const body = JSON.stringify({
      name: 'Larkfield Friends',
      fromAddress: 'friends@larkfield.example',
      returnDomain: 'returns.friends.larkfield.example',
      zone: 'Europe/Lisbon',
    });
    const headers = { 'content-type': 'application/json', 'x-avendel-csrf': csrf };
    return (await (await fetch('/api/v1/brands', { method: 'POST', headers, body })).json()).id;
  });
}

const SETS = [
  ['', DESK, 'light', Object.keys(PICTURES)],
  ['-phone', PHONE, 'light', ['contact']],
];
for (const [suffix, viewport, scheme, names] of SETS) {
  const chosen = names.filter((name) => wanted.length === 0 || wanted.includes(name + suffix));
  if (chosen.length === 0) continue;
  const page = await open(viewport, scheme);
  for (const name of chosen) {
    await PICTURES[name](page);
    await page.getByRole('heading', { level: 1 }).waitFor();
    await page.waitForLoadState('networkidle');
    await page.screenshot({ path: join(folder, `${name}${suffix}.png`), fullPage: true });
    console.log(`${name}${suffix}.png`);
  }
  await page.context().close();
}
await browser.close();
