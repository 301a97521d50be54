import { event as eventSchema, events, MOST_EVENTS, type OutsideEvent } from '../../../shared/contract/events.ts';
import { handlers } from '../route.ts';
import { readBody } from '../upload.ts';
import type Joi from 'joi';
import { takeEvents, type TakenEvents } from '../../../operations/events/take-events.ts';
import { dropKeptAside, listKeptAside, takeEventsAside } from '../../../operations/events/events-aside.ts';
import { Problem } from '../../../operations/problem.ts';
import { findUnstorable, UNSTORABLE_WORDS } from '../storable.ts';
import { pageOf, readCursor } from '../paging.ts';
import { isPlainEvent } from '../plain-event.ts';

/** Ten thousand events of over two kilobytes each. */
const MOST_EVENT_BYTES = 24 * 1024 * 1024;

export const eventsRoutes = handlers(events, {
  async recordEvents({ deps, query, c }): Promise<TakenEvents> {
    const { events, refused } = readEvents((await readBody(c, MOST_EVENT_BYTES, 'What came')).toString('utf8'));
    const taken = await takeEvents(
      deps,
      events.map(({ event }) => event),
      query.unknown,
    );
    const lines = taken.refused.map((one) => ({ line: events[one.line - 1]!.line, detail: one.detail }));
    return { ...taken, refused: [...refused, ...lines].sort((a, b) => a.line - b.line) };
  },
  async eventsAside({ deps, query }) {
    const rows = await listKeptAside(deps, query.address, readCursor(query.cursor, 0), query.limit + 1);
    return pageOf(rows, query.limit, (row) => row.id);
  },
  takeEventsAside: ({ deps }) => takeEventsAside(deps),
  dropEventsAside: ({ deps, body }) => dropKeptAside(deps, body.address),
});

type Refused = TakenEvents['refused'];

function readEvents(text: string): { events: { line: number; event: OutsideEvent }[]; refused: Refused } {
  const refused: Refused = [];
  const events: { line: number; event: OutsideEvent }[] = [];
  const values = parseBody(text, refused);
  if (values.length > MOST_EVENTS)
    throw new Problem('too-large', `${values.length} events at once; at most ${MOST_EVENTS} are taken.`);
  for (const { line, value } of values) {
    if (isPlainEvent(value)) {
      events.push({ line, event: value as OutsideEvent });
      continue;
    }
    const { error, value: event } = eventSchema.validate(value) as {
      error?: Joi.ValidationError;
      value: OutsideEvent;
    };
    const unstorable = findUnstorable(event);
    if (error) refused.push({ line, detail: error.message.replaceAll('"', '') });
    else if (unstorable !== undefined) refused.push({ line, detail: `${unstorable} ${UNSTORABLE_WORDS}` });
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
  const values: { line: number; value: unknown }[] = [];
  trimmed.split('\n').forEach((line, index) => {
    const value = parseJson(line);
    if (value === undefined) refused.push({ line: index + 1, detail: 'not JSON' });
    else values.push({ line: index + 1, value });
  });
  return values;
}

function parseJson(text: string): unknown {
  try {
    return JSON.parse(text) as unknown;
  } catch {
    return undefined;
  }
}
