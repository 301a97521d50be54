import { LRUCache } from 'lru-cache';
import type { IncomingEvent } from '../../operations/events/record-events.ts';

/** The same open or click again and again, or visits of one message: so many within an hour are recorded one by one. */
const MOST_REPEATS: Readonly<Partial<Record<IncomingEvent['kind'], number>>> = {
  opened: 20,
  clicked: 20,
  visited: 200,
};
const HOUR_MS = 3_600_000;
/** Links whose repeats are counted. Whoever repeats is among the latest; a message has some dozen links. */
const MOST_COUNTED = 50_000;

export interface Repeats {
  /** Whether this event is still recorded by itself. What is no open, click or visit always is. */
  isRecorded(event: IncomingEvent): boolean;
  /** How many were not, since the start. */
  leftOut(): number;
}

/**
 * A public link can be asked for by anybody who has it, as often as they like. It answers each time; but what nobody
 * does in reading is not stored again and again, or one person could fill the database and keep the judging of acts
 * busy.
 */
export function makeRepeats(): Repeats {
  const counted = new LRUCache<string, { from: number; times: number }>({ max: MOST_COUNTED });
  let leftOut = 0;
  return {
    isRecorded({ kind, at: now, campaignId, contactId, detail }) {
      const most = MOST_REPEATS[kind];
      if (most === undefined) return true;
      const key = `${kind} ${campaignId} ${contactId} ${detail?.link ?? ''}`;
      const known = counted.get(key);
      const within = known !== undefined && now - known.from < HOUR_MS;
      const count = within ? known : { from: now, times: 0 };
      count.times++;
      counted.set(key, count);
      if (count.times > most) leftOut++;
      return count.times <= most;
    },
    leftOut: () => leftOut,
  };
}
