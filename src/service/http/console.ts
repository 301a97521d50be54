import { existsSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { serveStatic } from '@hono/node-server/serve-static';
import { Hono } from 'hono';

/**
 * Only what is bundled runs: no script, font or picture from elsewhere. Message previews are drawn in a sandboxed
 * frame.
 */
const CONTENT_POLICY =
  "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; frame-src 'self' data: blob:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'";

/** The console's files. Every path that is no file is the one page, so that an address in the bar can be reloaded. */
export function makeConsoleFiles(folder: string): Hono {
  const app = new Hono();
  app.use('*', async (c, next) => {
    await next();
    c.header('content-security-policy', CONTENT_POLICY);
    c.header('x-content-type-options', 'nosniff');
    c.header('referrer-policy', 'same-origin');
  });
  app.use(
    '/assets/*',
    serveStatic({
      root: folder,
      onFound: (_path, c) => c.header('cache-control', 'public, max-age=31536000, immutable'),
    }),
  );
  // A missing asset must not be answered with the page.
  app.get('/assets/*', (c) => c.text('Not found', 404));
  app.get('/favicon.svg', serveStatic({ root: folder }));
  app.get('*', async (c) => {
    const page = join(folder, 'index.html');
    if (!existsSync(page)) return c.text('The console is not built; run `npm run build`.', 503);
    return c.html(await readFile(page, 'utf8'), 200, { 'cache-control': 'no-cache' });
  });
  return app;
}
