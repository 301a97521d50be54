import { getConnInfo } from '@hono/node-server/conninfo';
import type { Context } from 'hono';
import { Gauge, Registry } from 'prom-client';
import { findSignedIn } from '../../operations/accounts/sign-in.ts';
import type { Deps } from '../../operations/deps.ts';
import { countEventKinds } from '../../store/statements/metrics.ts';
import { countDeliveryStates } from '../../store/statements/tallies.ts';
import { countReturns } from '../../store/statements/returns.ts';
import type { EventRecorder } from '../tracking/event-recorder.ts';

/** What Prometheus reads: sends, events and returns by state, and what waits to be written. */
export function makeMetrics(deps: Deps, recorder: EventRecorder): Registry {
  const registry = new Registry();
  const gauge = (name: string, help: string, label: string, read: () => Promise<Record<string, number>>): Gauge =>
    new Gauge({
      name,
      help,
      labelNames: [label],
      registers: [registry],
      async collect() {
        for (const [value, count] of Object.entries(await read())) this.set({ [label]: value }, count);
      },
    });
  gauge('avendel_deliveries', 'Deliveries by state', 'state', () => countDeliveryStates(deps.database));
  gauge('avendel_returns', 'Returned messages by state', 'state', () => countReturns(deps.database));
  gauge('avendel_events', 'Events by kind, as totals of activity', 'kind', () => countEventKinds(deps.database));
  new Gauge({
    name: 'avendel_events_waiting',
    help: 'Events taken in and not yet committed',
    registers: [registry],
    collect() {
      this.set(recorder.waiting());
    },
  });
  new Gauge({
    name: 'avendel_repeats_left_out',
    help: 'Opens, clicks and visits not recorded one by one, since the start',
    registers: [registry],
    collect() {
      this.set(recorder.leftOut());
    },
  });
  return registry;
}

const LOOPBACK = /^(127\.|::1$|::ffff:127\.)/;

/**
 * Figures are for this machine, and for whoever has a token. What a proxy on this machine passes on comes from
 * elsewhere.
 */
export async function mayReadMetrics(deps: Deps, c: Context): Promise<boolean> {
  const isPassedOn = c.req.header('x-forwarded-for') !== undefined || c.req.header('forwarded') !== undefined;
  if (LOOPBACK.test(getConnInfo(c).remote.address ?? '') && !isPassedOn) return true;
  const token = /^Bearer (\S{1,200})$/.exec(c.req.header('authorization') ?? '')?.[1];
  return token !== undefined && (await findSignedIn(deps, { token })) !== undefined;
}
