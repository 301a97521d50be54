import type { Page } from 'playwright-core';
import { until } from './service.ts';

const NAME = '(one) => (one.ariaLabel ?? one.labels?.[0]?.textContent ?? one.textContent).trim()';

/** What has the focus is called so to whoever cannot see it. */
export const focusedName = (page: Page): Promise<string> => page.evaluate(`(${NAME})(document.activeElement)`);

/** Whether anything is called so that could have the focus: what a page has asked for comes a moment later. */
const isThere = async (page: Page, is: (name: string) => boolean): Promise<boolean> =>
  (
    await page.evaluate<string[]>(
      `[...document.querySelectorAll('a[href], button, input, select, textarea, summary, [tabindex]')].map(${NAME})`,
    )
  ).some(is);

/** A keyboard that counts its keys, and fails where a key leaves the focus nowhere. */
export function makeKeyboard(page: Page) {
  let keys = 0;
  const press = async (...pressed: string[]): Promise<void> => {
    for (const key of pressed) {
      await page.keyboard.press(key);
      keys++;
      await until(async () => !(await page.evaluate('document.activeElement === document.body')), 1000).catch(() => {
        throw new Error(`${key} left the focus nowhere, after ${keys} keys`);
      });
    }
  };
  return {
    press,
    type: (text: string) => press(...[...text].map((letter) => (letter === ' ' ? 'Space' : letter))),
    /** Tabs on, or back, until what has the focus is called so. */
    async tabTo(name: string | RegExp, key: 'Tab' | 'Shift+Tab' = 'Tab'): Promise<void> {
      const is = (found: string): boolean => (typeof name === 'string' ? found === name : name.test(found));
      await until(() => isThere(page, is), 30_000).catch(() => {
        throw new Error(`nothing is called ${String(name)}`);
      });
      for (let tabs = 0; tabs < 120; tabs++) {
        await page.keyboard.press(key);
        keys++;
        if (is(await focusedName(page))) return;
      }
      throw new Error(`nothing that is called ${String(name)} was reached`);
    },
    keys: () => keys,
  };
}
