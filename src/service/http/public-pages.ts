import { escapeHtml } from '../../core/message/merge-fields.ts';

/** Pages that strangers see: no script, no login, readable on a phone, and a GET never changes anything. */

const STYLE = `
  :root { color-scheme: light dark }
  body { margin: 0; background: #FAF8F3; color: #1E2A33; font: 17px/1.5 'Source Sans 3', system-ui, sans-serif }
  main { max-width: 34rem; margin: 12vh auto; padding: 0 1.25rem }
  h1 { font: 480 1.75rem/1.3 Literata, Georgia, serif; margin: 0 0 .75rem }
  button { font: inherit; min-height: 48px; width: 100%; margin-top: .75rem; border-radius: 6px; border: 1px solid #8A8374; background: transparent; color: #1B5A49; cursor: pointer }
  button.main { background: #1B5A49; border-color: #1B5A49; color: #FFFDF9 }
  button:focus-visible { outline: 2px solid #1B5A49; outline-offset: 2px }
  @media (prefers-color-scheme: dark) {
    body { background: #141B20; color: #ECE7DB }
    button { color: #83C7AC; border-color: #73808A }
    button.main { background: #2C7660; border-color: #2C7660; color: #FFFDF9 }
    button:focus-visible { outline-color: #83C7AC }
  }`;

function page(title: string, body: string): string {
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width,initial-scale=1"><meta name="robots" content="noindex"><title>${escapeHtml(title)}</title><style>${STYLE}</style></head><body><main>${body}</main></body></html>`;
}

/** The page behind the unsubscribe link: a button for the lists this message came from, and one for everything. */
export function unsubscribePage(brandName: string, lists: string[]): string {
  const brand = escapeHtml(brandName);
  const names = lists.map(escapeHtml).join(' and ');
  const fromLists =
    lists.length > 0
      ? `<form method="post"><button class="main" name="from" value="lists">Stop ${names}</button></form>`
      : '';
  return page(
    `Unsubscribe from ${brandName}`,
    `<h1>Leave ${lists.length > 0 ? names : brand}?</h1><p>One press, and it is done. Nothing changes until you press.</p>${fromLists}<form method="post"><button name="from" value="everything">Stop everything from ${brand}</button></form>`,
  );
}

export function donePage(brandName: string, lists: string[]): string {
  const what = lists.length > 0 ? lists.join(' and ') : `anything from ${brandName}`;
  return page(
    'Done',
    `<h1>You will not get ${escapeHtml(what)} any more</h1><p>A message that is already on its way may still arrive.</p>`,
  );
}

export function gonePage(): string {
  return page(
    'Not found',
    `<h1>This link leads nowhere</h1><p>It may have been cut off on the way. Use the link in the message itself, or answer the message.</p>`,
  );
}
