import type { MessagePreview } from '../../../shared/contract/messages.ts';
import css from './message.module.css';

/** The ways to look at a message. */
export const WAYS_TO_SEE = ['wide', 'phone', 'dark', 'text', 'without pictures'] as const;
export type WayToSee = (typeof WAYS_TO_SEE)[number];

/** A message as it is seen; its pictures stand as boxes, since the console fetches nothing from elsewhere. */
export function SeenMessage({ message, way }: { message: MessagePreview['message']; way: WayToSee }) {
  if (message.html === null || way === 'text')
    return (
      <div className={css.seen}>
        <pre className="said as-written" tabIndex={0} aria-label="The message as plain text">
          {message.text}
        </pre>
      </div>
    );
  const look = way === 'phone' ? css.phone : way === 'dark' ? css.dark : '';
  return (
    <div className={`${css.seen} ${look}`}>
      <iframe title="The message as it is seen" sandbox="" srcDoc={drawn(message.html, way)} />
    </div>
  );
}

/** What a program with a dark ground does to what sets no colours of its own. */
const DARK = ':root{color-scheme:dark}body{background:#17191b;color:#e6e3dd}a{color:#9ec6ff}';
const BOX =
  'display:inline-flex;align-items:center;justify-content:center;box-sizing:border-box;max-width:100%;min-width:60px;min-height:40px;padding:8px;background:#F1EDE3;color:#47545D;border:1px solid #DED7C8;font:14px sans-serif;text-align:center';

/** The HTML with its pictures as boxes, or as the words that stand for them where none are loaded. */
function drawn(html: string, way: WayToSee): string {
  const page = new DOMParser().parseFromString(html, 'text/html');
  for (const picture of page.querySelectorAll('img')) {
    const said = picture.getAttribute('alt');
    const [width, height] = ['width', 'height'].map((side) => picture.getAttribute(side));
    if (said === '' && (way === 'without pictures' || width === '1')) picture.remove();
    else if (way === 'without pictures') picture.replaceWith(said ?? '');
    else picture.replaceWith(box(page, said, width ?? null, height ?? null));
  }
  if (way === 'dark') page.head.prepend(styleOf(page, DARK));
  return page.documentElement.outerHTML;
}

function box(page: Document, said: string | null, width: string | null, height: string | null): HTMLElement {
  const made = page.createElement('span');
  made.textContent = said === null ? 'picture without a description' : said || 'picture that decorates';
  const side = (name: string, value: string | null): string =>
    value && /^\d+%?$/.test(value) ? `;${name}:${value.endsWith('%') ? value : `${value}px`}` : '';
  made.setAttribute('style', `${BOX}${side('width', width) || ';width:100%'}${side('height', height)}`);
  return made;
}

function styleOf(page: Document, text: string): HTMLStyleElement {
  const style = page.createElement('style');
  style.textContent = text;
  return style;
}
