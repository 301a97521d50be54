import type Joi from 'joi';
import { takeEvents, type OutsideEvent, type TakenEvents } from '../../../operations/events/take-events.ts';
import { Problem, found } from '../../../operations/problem.ts';
import { MAX_RETURN_BYTES, receiveReturn } from '../../../operations/returns/receive-return.ts';
import * as schema from '../../../shared/schemas.ts';
import { dismissReturn, findReturn, listReturns, type ReturnState } from '../../../store/statements/returns.ts';
import { NEWEST, pageOf, readCursor, type PageQuery } from '../paging.ts';
import { route, type Route } from '../route.ts';

type WithId = { id: number };

export const eventRoutes: Route[] = [
  route({
    method: 'post', path: '/events', summary: 'Record events from another system: one, an array, or JSON Lines, at most 10,000; repeats are no-ops', raw: 'application/json or application/x-ndjson',
    async handle({ deps, c }): Promise<TakenEvents> {
      const { events, refused } = readEvents(await c.req.text());
      const taken = await takeEvents(deps, events.map(({ event }) => event));
      const lines = taken.refused.map((one) => ({ line: events[one.line - 1]!.line, detail: one.detail }));
      return { ...taken, refused: [...refused, ...lines].sort((a, b) => a.line - b.line) };
    },
  }),
  route<never, PageQuery & { state?: ReturnState }>({
    method: 'get', path: '/returns', summary: 'Returns, latest first', query: schema.returnsQuery,
    async handle({ deps, query }) {
      return pageOf(await listReturns(deps.database, query.state ?? null, readCursor(query.cursor, NEWEST), query.limit + 1), query.limit, (row) => row.id);
    },
  }),
  route({
    method: 'post', path: '/returns', summary: 'Take in one returned message, as it came', raw: 'message/rfc822', status: 201,
    async handle({ deps, c }) {
      const raw = await readRaw(c.req.raw.body);
      if (raw.length === 0) throw new Problem('unreadable-body', 'There is no message in the request.');
      return receiveReturn(deps, raw, '');
    },
  }),
  route<WithId>({
    method: 'get', path: '/returns/:id', summary: 'One return: how it was read, and the message itself', params: schema.contactParams,
    async handle({ deps, params }) {
      const { raw, ...row } = found(await findReturn(deps.database, params.id), `return ${params.id}`);
      return { ...row, message: raw.subarray(0, 100_000).toString('utf8') };
    },
  }),
  route<WithId>({
    method: 'post', path: '/returns/:id/dismiss', summary: 'Put an unmatched return aside', params: schema.contactParams, status: 204,
    async handle({ deps, params }) {
      if (!(await dismissReturn(deps.database, params.id))) throw new Problem('wrong-state', `Return ${params.id} is not an unmatched one.`);
    },
  }),
]; // prettier-ignore

type Refused = TakenEvents['refused'];

function readEvents(text: string): { events: { line: number; event: OutsideEvent }[]; refused: Refused } {
  const refused: Refused = [];
  const events: { line: number; event: OutsideEvent }[] = [];
  const values = parseBody(text, refused);
  if (values.length > schema.MOST_EVENTS)
    throw new Problem('too-large', `${values.length} events at once; at most ${schema.MOST_EVENTS} are taken.`);
  for (const { line, value } of values) {
    const { error, value: event } = schema.event.validate(value) as {
      error?: Joi.ValidationError;
      value: OutsideEvent;
    };
    if (error) refused.push({ line, detail: error.message.replaceAll('"', '') });
    else events.push({ line, event });
  }
  return { events, refused };
}

function parseBody(text: string, refused: Refused): { line: number; value: unknown }[] {
  const trimmed = text.trim();
  const whole = trimmed.startsWith('[') || !trimmed.includes('\n') ? parseJson(trimmed) : undefined;
  if (whole !== undefined)
    return (Array.isArray(whole) ? (whole as unknown[]) : [whole]).map((value, index) => ({ line: index + 1, value }));
  if (trimmed.startsWith('[') || trimmed === '')
    throw new Problem('unreadable-body', 'The body is neither JSON nor JSON Lines.');
  return trimmed.split('\n').flatMap((line, index) => {
    const value = parseJson(line);
    if (value === undefined) refused.push({ line: index + 1, detail: 'not JSON' });
    return value === undefined ? [] : [{ line: index + 1, value }];
  });
}

function parseJson(text: string): unknown {
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return undefined;
  }
}

/** The message of a request, as far as it may be long. */
async function readRaw(body: AsyncIterable<Uint8Array> | null): Promise<Buffer> {
  const chunks: Uint8Array[] = [];
  let bytes = 0;
  for await (const chunk of body ?? []) {
    bytes += chunk.length;
    if (bytes > MAX_RETURN_BYTES) throw new Problem('too-large', 'The message is over 10 MB. What a report says stands in its first megabytes: cut it there.'); // prettier-ignore
    chunks.push(chunk);
  }
  return Buffer.concat(chunks);
}
