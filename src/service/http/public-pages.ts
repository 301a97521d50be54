import { escapeHtml } from '../../core/message/merge-fields.ts';

/** Pages that strangers see: no script, no login, readable on a phone, and a GET never changes anything. */

export const NEVER_CACHED = {
  'cache-control': 'private, no-store, max-age=0',
  'referrer-policy': 'no-referrer',
  'x-content-type-options': 'nosniff',
};
export const MOST_FORM_BYTES = 16 * 1024;

const STYLE = `
  :root { color-scheme: light dark }
  body { margin: 0; background: #FAF8F3; color: #1E2A33; font: 17px/1.5 'Source Sans 3', system-ui, sans-serif }
  main { max-width: 34rem; margin: 12vh auto; padding: 0 1.25rem }
  h1 { font: 480 1.75rem/1.3 Literata, Georgia, serif; margin: 0 0 .75rem }
  button { font: inherit; min-height: 48px; width: 100%; margin-top: .75rem; border-radius: 6px; border: 1px solid #8A8374; background: transparent; color: #1B5A49; cursor: pointer }
  label { display: block; margin: 1rem 0 .25rem; font-weight: 600 }
  label.choice { display: flex; gap: .75rem; align-items: center; min-height: 44px; font-weight: 400; border-bottom: 1px solid #DED8C9; margin: 0 }
  input[type=checkbox] { width: 22px; height: 22px; accent-color: #1B5A49 }
  input[type=text], input[type=email] { font: inherit; box-sizing: border-box; width: 100%; min-height: 48px; padding: 0 .75rem; border: 1px solid #8A8374; border-radius: 6px; background: #FFFDF9; color: inherit }
  input:focus-visible, a:focus-visible { outline: 2px solid #1B5A49; outline-offset: 2px }
  a { color: #1B5A49 }
  .aside { position: absolute; left: -9999px }
  .wrong { color: #A33A2C }
  button.main { background: #1B5A49; border-color: #1B5A49; color: #FFFDF9 }
  button:focus-visible { outline: 2px solid #1B5A49; outline-offset: 2px }
  @media (prefers-color-scheme: dark) {
    body { background: #141B20; color: #ECE7DB }
    label.choice { border-color: #333C42 }
    input[type=text], input[type=email] { background: #1B2329; border-color: #73808A }
    input:focus-visible, a:focus-visible { outline-color: #83C7AC }
    a { color: #83C7AC }
    .wrong { color: #F0A08F }
    button { color: #83C7AC; border-color: #73808A }
    button.main { background: #2C7660; border-color: #2C7660; color: #FFFDF9 }
    button:focus-visible { outline-color: #83C7AC }
  }`;

function page(title: string, body: string): string {
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width,initial-scale=1"><meta name="robots" content="noindex"><title>${escapeHtml(title)}</title><style>${STYLE}</style></head><body><main>${body}</main></body></html>`;
}

/** The page behind the unsubscribe link: a button for the lists this message came from, and one for everything. */
export function unsubscribePage(brandName: string, lists: string[], preferencesUrl: string): string {
  const brand = escapeHtml(brandName);
  const names = lists.map(escapeHtml).join(' and ');
  const fromLists =
    lists.length > 0
      ? `<form method="post"><button class="main" name="from" value="lists">Stop ${names}</button></form>`
      : '';
  return page(
    `Unsubscribe from ${brandName}`,
    `<h1>Leave ${lists.length > 0 ? names : brand}?</h1><p>One press, and it is done. Nothing changes until you press.</p>${fromLists}<form method="post"><button name="from" value="everything">Stop everything from ${brand}</button></form><p><a href="${escapeHtml(preferencesUrl)}">Choose what you get instead</a></p>`,
  );
}

/** After unsubscribing: from which lists, or from everything of the brand. */
export function donePage(brandName: string, lists: string[]): string {
  const what = lists.length > 0 ? lists.join(' and ') : `anything from ${brandName}`;
  return page(
    'Done',
    `<h1>You will not get ${escapeHtml(what)} any more</h1><p>A message that is already on its way may still arrive.</p>`,
  );
}

/** Behind the way out of a test message: it takes nobody off anything. */
export function testPage(): string {
  return page(
    'A test message',
    `<h1>This was a test message</h1><p>In the real one this is the way out. Here it takes nobody off anything.</p>`,
  );
}

/** For a link that was never ours, or is cut off. It says nothing about anybody. */
export function gonePage(): string {
  return page(
    'Not found',
    `<h1>This link leads nowhere</h1><p>It may have been cut off on the way. Use the link in the message itself, or answer the message.</p>`,
  );
}

/** The form for a list, fit to be framed in another page: works without script, and a field that only machines fill. */
export function signUpPage(brandName: string, list: { name: string; agreement: string }, wrong?: string): string {
  const agreement = list.agreement === '' ? '' : `<p>By signing up: ${escapeHtml(list.agreement)}</p>`;
  return page(
    `${list.name}, ${brandName}`,
    `<h1>Get ${escapeHtml(list.name)}</h1><p>From ${escapeHtml(brandName)}. You can leave with one press at any time.</p>
    <form method="post">${wrong ? `<p class="wrong" role="alert">${escapeHtml(wrong)}</p>` : ''}
    <label for="address">Your email address</label><input id="address" name="address" type="email" autocomplete="email" required maxlength="254">
    <label for="name">Your name, if you like</label><input id="name" name="name" type="text" autocomplete="name" maxlength="200">
    <div class="aside" aria-hidden="true"><label for="website">Leave this empty</label><input id="website" name="website" type="text" tabindex="-1" autocomplete="off"></div>
    ${agreement}<button class="main">Sign up</button></form>`,
  );
}

/** Asked once, before anything is kept, when the domain looks like a slip of another: the person knows. */
export function slipPage(
  listName: string,
  { address, name, meant }: { address: string; name: string; meant: string },
): string {
  const choice = (value: string, words: string, way: string): string =>
    `<form method="post"><input type="hidden" name="address" value="${escapeHtml(value)}"><input type="hidden" name="name" value="${escapeHtml(name)}"><input type="hidden" name="sure" value="yes"><button${way}>${words} ${escapeHtml(value)}</button></form>`;
  return page(
    listName,
    `<h1>Is this address right?</h1><p>You wrote ${escapeHtml(address)}. It may be a slip.</p>${choice(meant, 'I mean', ' class="main"')}${choice(address, 'It is right:', '')}`,
  );
}

/** The same for everybody who signs up, whatever becomes of it. */
export function signedUpPage(listName: string): string {
  return page(
    'Nearly there',
    `<h1>Look into your mailbox</h1><p>If this address can get ${escapeHtml(listName)}, what to do next is in a message to it, or the next ${escapeHtml(listName)} will come by itself.</p>`,
  );
}

/** Asks for the press of a button; following the link alone confirms nothing. */
export function confirmPage(brandName: string, listName: string): string {
  return page(
    `Confirm ${listName}`,
    `<h1>Get ${escapeHtml(listName)} from ${escapeHtml(brandName)}?</h1><p>Nothing happens until you press.</p><form method="post"><button class="main">Yes, confirm</button></form><p>If it was not you, just close this page.</p>`,
  );
}

/** After the button was pressed. */
export function confirmedPage(listName: string): string {
  return page(
    'Confirmed',
    `<h1>You get ${escapeHtml(listName)} from now on</h1><p>Every message has a way out at its end.</p>`,
  );
}

/** For a link whose time is over: how to sign up again. */
export function confirmationOverPage(listName: string): string {
  return page(
    'Too late',
    `<h1>This sign-up has ended</h1><p>It was not confirmed in time. Sign up for ${escapeHtml(listName)} again if you would like to get it.</p>`,
  );
}

/**
 * Every public list of the brand, each on or off, or out of everything. Once saved, what is asked for by mail is named.
 */
export function preferencesPage(
  brandName: string,
  lists: { id: number; name: string; on: boolean }[],
  saved?: { asked: string[] },
): string {
  const asked = saved?.asked.map(escapeHtml).join(' and ');
  const said = asked
    ? `<p role="status">What you took off, you do not get any more. For ${asked}, look into your mailbox: it begins once you have pressed the button in the message to you.</p>`
    : '<p role="status">This is what you get from now on.</p>';
  const choices = lists
    .map(
      (list) =>
        `<label class="choice"><input type="checkbox" name="list" value="${list.id}"${list.on ? ' checked' : ''}>${escapeHtml(list.name)}</label>`,
    )
    .join('');
  return page(
    `What you get from ${brandName}`,
    `<h1>${saved ? 'Saved' : `What you get from ${escapeHtml(brandName)}`}</h1>${saved ? said : '<p>Nothing changes until you press.</p>'}
    <form method="post"><input type="hidden" name="act" value="choose">${choices}<button class="main">Save</button></form>
    <form method="post"><button name="act" value="everything">Stop everything from ${escapeHtml(brandName)}</button></form>`,
  );
}
