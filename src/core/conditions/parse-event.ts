import { JUDGED } from '../activity/judge-actor.ts';
import { BOUNCE_CLASSES, EVENT_KINDS, type BounceClass } from '../../shared/words.ts';
import { readWhen } from './parse-when.ts';
import type { Reader } from './reader.ts';
import type { ActName, EventTest } from './tree.ts';

export const ACTS: readonly ActName[] = [...EVENT_KINDS, 'read', 'engaged'];
/** Acts whose latest instant is kept, to count from. */
export const LATEST_ACTS = [
  'sent',
  'bounced',
  'opened',
  'clicked',
  'read',
  'replied',
  'visited',
  'purchased',
  'confirmed',
  'subscribed',
  'engaged',
] as const satisfies readonly ActName[];
const MOST_TIMES = 1_000_000;

/**
 * `clicked at least 3 times in campaign "X" in the last 30 days`, with `first` or `last` before it; the parts behind
 * the act in any order.
 */
export function readEventTest(reader: Reader): EventTest {
  const start = reader.peek();
  const which = reader.take('first') ? 'first' : reader.take('last') ? 'last' : 'any';
  const act = reader.oneOf(ACTS, 'what they did or what was done');
  const event: EventTest = {
    act,
    by: JUDGED.has(act) ? 'people' : null,
    least: null,
    most: null,
    which,
    when: null,
    sinceLast: null,
    class: null,
    campaign: null,
    list: null,
    link: null,
    what: null,
    brand: 'own',
  };
  if (act === 'bounced' && BOUNCE_CLASSES.includes(reader.peek().value as BounceClass))
    event.class = reader.next().value as BounceClass;
  while (readPart(reader, event));
  const here = { from: start.from, to: reader.end };
  if (which !== 'any' && !event.when)
    throw reader.problem('unexpected', here, `Say when they ${which} ${act}: “${which} ${act} in the last 30 days”.`);
  if (which !== 'any' && (event.least !== null || event.most !== null))
    throw reader.problem('unexpected', here, `There is one ${which} of them: leave out how many times.`);
  if (event.least !== null && event.most !== null && event.most < event.least)
    throw reader.problem('out-of-range', here, 'Nothing is both at least and at most that often.');
  return event;
}

function readPart(reader: Reader, event: EventTest): boolean {
  const begin = reader.peek();
  const set = <K extends keyof EventTest>(name: K, value: EventTest[K], free: EventTest[K]): boolean => {
    if (event[name] !== free)
      throw reader.problem('unexpected', { from: begin.from, to: reader.end }, 'This was said already.');
    event[name] = value;
    return true;
  };
  if (reader.take('by')) return readBy(reader, event);
  if (reader.peek().value === 'at' || reader.peek().value === 'exactly') return readTimes(reader, event);
  if (reader.take('in', 'campaign')) return set('campaign', reader.text('the name of a campaign'), null);
  if (reader.take('from', 'list')) return set('list', reader.text('the name of a list'), null);
  if (reader.take('for', 'any', 'brand')) return set('brand', 'any', 'own');
  if (event.act === 'clicked' && reader.take('link', 'containing'))
    return set('link', reader.text('part of an address'), null);
  if (reader.take('what', 'containing')) return set('what', reader.text('part of what it says'), null);
  if (reader.take('since', 'last')) return set('sinceLast', reader.oneOf(LATEST_ACTS, 'an act'), null);
  const when = readWhen(reader);
  return when ? set('when', when, null) : false;
}

function readBy(reader: Reader, event: EventTest): boolean {
  const by = reader.oneOf(['people', 'anyone', 'machines'] as const, 'whose act');
  if (event.by === null)
    throw reader.problem(
      'unexpected',
      { from: reader.end - by.length, to: reader.end },
      `Only of opens, clicks and visits it is judged whose they are, not of “${event.act}”.`,
    );
  event.by = by;
  return true;
}

function readTimes(reader: Reader, event: EventTest): boolean {
  const begin = reader.peek();
  const most = reader.take('at', 'most');
  const exactly = !most && reader.take('exactly');
  if (!most && !exactly) reader.need('at', 'least');
  const times = reader.whole('How many times', most || exactly ? 0 : 1, MOST_TIMES);
  if (!reader.take('times')) reader.need('time');
  const taken = (!most && event.least !== null) || ((most || exactly) && event.most !== null);
  if (taken) throw reader.problem('unexpected', { from: begin.from, to: reader.end }, 'How often was said already.');
  if (!most) event.least = times;
  if (most || exactly) event.most = times;
  return true;
}
