import type Joi from 'joi';
import { takeEvents, type OutsideEvent, type TakenEvents } from '../../../operations/events/take-events.ts';
import { findProxyList, saveProxyList, type ProxyList } from '../../../operations/events/proxy-list.ts';
import { rebuildActivity } from '../../../operations/events/rebuild-activity.ts';
import { Problem } from '../../../operations/problem.ts';
import * as schema from '../../../shared/schemas.ts';
import { isPlainEvent } from '../plain-event.ts';
import { route, type Route } from '../route.ts';

export const eventRoutes: Route[] = [
  route<never, { unknown: 'refuse' | 'create' }>({
    method: 'post', path: '/events', summary: 'Record events from another system: one, an array, or JSON Lines, at most 10,000; repeats are no-ops', query: schema.eventsQuery, raw: 'application/json or application/x-ndjson',
    async handle({ deps, query, c }): Promise<TakenEvents> {
      const { events, refused } = readEvents(await c.req.text());
      const taken = await takeEvents(deps, events.map(({ event }) => event), query.unknown);
      const lines = taken.refused.map((one) => ({ line: events[one.line - 1]!.line, detail: one.detail }));
      return { ...taken, refused: [...refused, ...lines].sort((a, b) => a.line - b.line) };
    },
  }),
  route({
    method: 'post', path: '/activity/rebuild', summary: 'Derive all activity from the events, report what differed and put it right',
    handle: ({ deps }) => rebuildActivity(deps),
  }),
  route({
    method: 'get', path: '/proxies', summary: 'Networks and user agents of image proxies, as the operator keeps them',
    handle: ({ deps }) => findProxyList(deps.database),
  }),
  route<never, never, ProxyList>({
    method: 'patch', path: '/proxies', summary: 'Keep another list of image proxies; past opens stay as they were judged', body: schema.proxyList,
    handle: ({ deps, body, who }) => saveProxyList(deps, body, who.name),
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
    if (isPlainEvent(value)) {
      events.push({ line, event: value as OutsideEvent });
      continue;
    }
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
