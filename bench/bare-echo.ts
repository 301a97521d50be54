import { serve } from '@hono/node-server';
import { Hono } from 'hono';

/** The baseline of a check: a bare handler that answers the JSON it was sent. */
const app = new Hono();
app.post('/', async (c) => c.json(await c.req.json()));
serve({ fetch: app.fetch, port: Number(process.argv[2]), hostname: '127.0.0.1' }, () =>
  process.stdout.write('ready\n'),
);
