import { serve } from '@hono/node-server';
import { Hono } from 'hono';

/** The baseline of the pixel: a bare handler that returns the same bytes and records nothing. */
const PIXEL = Buffer.from('R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7', 'base64');
const app = new Hono();
app.get('/seen/:name', (c) =>
  c.body(PIXEL, 200, { 'content-type': 'image/gif', 'cache-control': 'private, no-store, max-age=0' }),
);
serve({ fetch: app.fetch, port: Number(process.argv[2]), hostname: '127.0.0.1' }, () =>
  process.stdout.write('ready\n'),
);
