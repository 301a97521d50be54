import Joi from 'joi';
import { id, anyText, instant, oneOf, text, ids, page, pageOf, type PageQuery } from './parts.ts';
import { EVENT_KINDS, BOUNCE_CLASSES, type EventKind, type BounceClass } from '../words.ts';
import { contract } from './contract.ts';

/** Answer of `POST /events/aside/take`. */
export interface TakeEventsAsideAnswer {
  recorded: number;
  refused: { id: number; detail: string }[];
}

/** Answer of `POST /events/aside/drop`. */
export interface DropEventsAsideAnswer {
  dropped: number;
}

/** What became of events that were given: recorded, known already, kept aside, or refused with the line and why. */
export interface TakenEvents {
  aside: number;
  recorded: number;
  repeated: number;
  refused: { line: number; detail: string }[];
}
const takenEventsSchema = Joi.object<TakenEvents, true>({
  aside: Joi.number().required(),
  recorded: Joi.number().required(),
  repeated: Joi.number().required(),
  refused: Joi.array()
    .items(
      Joi.object<TakenEvents['refused'][number], true>({ line: Joi.number().required(), detail: anyText.required() }),
    )
    .required(),
});

/** An event of another system, as `POST /events` takes it. */
export interface OutsideEvent {
  kind: EventKind;
  at: string;
  source: string;
  externalId: string;
  address: string;
  brandId?: number;
  campaignId?: number;
  class?: BounceClass;
  status?: string;
  reply?: string;
  url?: string;
  link?: number;
  userAgent?: string;
  lists?: number[];
  way?: string;
  what?: string;
}
export const event = Joi.object<OutsideEvent, true>({
  kind: oneOf(EVENT_KINDS).required(),
  at: Joi.string().isoDate().required(),
  source: text(100).required(),
  externalId: text(300).required(),
  address: text(320).required(),
  brandId: id,
  campaignId: id,
  class: oneOf(BOUNCE_CLASSES),
  status: text(20).allow(''),
  reply: text(2000).allow(''),
  url: text(2000),
  link: Joi.number().integer().min(0).max(65_535),
  userAgent: text(500).allow(''),
  lists: ids,
  way: text(100),
  what: text(500),
});

/** An event of another system that waits for its address to be a contact. */
export interface EventAside {
  id: number;
  address: string;
  keptAt: string;
  /** The event as it came. */
  body: OutsideEvent;
}
const eventAsideSchema = Joi.object<EventAside, true>({
  id: Joi.number().required(),
  address: anyText.required(),
  keptAt: instant.required(),
  body: event.required(),
});

/** Query of `POST /events`. */
export interface EventsQuery {
  unknown?: 'refuse' | 'create' | 'keep';
}
const eventsQuery = Joi.object<EventsQuery, true>({
  unknown: Joi.string()
    .valid('refuse', 'create', 'keep')
    .default('refuse')
    .description(
      'What is done with an address that is no contact: refused by line, made a contact on no list, or the event kept aside until it is one',
    ),
});

export const MOST_EVENTS = 10_000;

/** Query of `GET /events/aside`. */
export interface AsideQuery extends PageQuery {
  address?: string;
}
const asideQuery = Joi.object<AsideQuery, true>({
  ...page,
  address: text(320).description('Only those of this address'),
});

/** Body of `POST /events/aside/drop`. */
export interface AsideDrop {
  address?: string;
}
const asideDrop = Joi.object<AsideDrop, true>({
  address: text(320).description('Only those of this address; without it, all'),
});

/** Events. */
export const events = {
  recordEvents: contract({
    method: 'post',
    path: '/events',
    summary: 'Record events from another system: one, an array, or JSON Lines, at most 10,000; repeats are no-ops',
    raw: 'application/json or application/x-ndjson',
    query: eventsQuery,
    filled: ['unknown'],
    answer: takenEventsSchema,
    example: {
      unknown: 'keep',
      file: '{"kind":"purchased","at":"2026-11-02T18:30:00Z","source":"ticket desk","externalId":"4711","address":"ada@lanternpost.example"}\n',
    },
  }),
  eventsAside: contract({
    method: 'get',
    path: '/events/aside',
    summary: 'Events that wait for their address to be a contact',
    query: asideQuery,
    filled: ['limit'],
    answer: pageOf(eventAsideSchema),
    example: { address: 'new@lanternpost.example', limit: 20 },
  }),
  takeEventsAside: contract({
    method: 'post',
    path: '/events/aside/take',
    summary: 'Record those whose address is a contact by now',
    answer: Joi.object<TakeEventsAsideAnswer, true>({
      recorded: Joi.number().required(),
      refused: Joi.array()
        .items(
          Joi.object<TakeEventsAsideAnswer['refused'][number], true>({
            id: Joi.number().required(),
            detail: anyText.required(),
          }),
        )
        .required(),
    }),
    example: {},
  }),
  dropEventsAside: contract({
    method: 'post',
    path: '/events/aside/drop',
    summary: 'Drop events that wait',
    body: asideDrop,
    answer: Joi.object<DropEventsAsideAnswer, true>({ dropped: Joi.number().required() }),
    example: { address: 'new@lanternpost.example' },
  }),
};
