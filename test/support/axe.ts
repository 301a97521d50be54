import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import type * as Axe from 'axe-core';
import type { Page } from 'playwright-core';

const AXE = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

/**
 * What axe-core finds wrong on a page as it stands, with the beginning of each element, and how many of its rules
 * passed.
 */
export async function findViolations(page: Page): Promise<{ passes: number; violations: string[] }> {
  await page.evaluate(AXE);
  return page.evaluate(async () => {
    const { axe } = globalThis as unknown as { axe: typeof Axe };
    const found = await axe.run({ exclude: [['iframe']] } as Axe.ElementContext);
    const words = found.violations.map(
      (one) => `${one.id}: ${one.nodes.map((node) => node.html.slice(0, 120)).join(' | ')}`,
    );
    return { passes: found.passes.length, violations: words };
  });
}
