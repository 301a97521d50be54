import type { ClaimedDelivery } from '../../store/statements/deliveries.ts';
import { onceAtATime } from '../once-at-a-time.ts';

/** With so many claimed and left the next ones are claimed. */
const CLAIM_AGAIN = 100;

/** The two gates that recipients pass on their way, and until when. */
export interface Gates {
  /** The first: claims some hundred. `picked` is how many it looked at; none means that nobody is left. */
  claim(): Promise<{ claimed: ClaimedDelivery[]; picked: number }>;
  /** The second: of a group, the contacts who pass it right before they go. */
  pass(group: ClaimedDelivery[]): Promise<number[]>;
  /** How many pass the second gate together. */
  groupSize: number;
  /** Waits until a group may pass. */
  room(): Promise<void>;
  /** Whether more may be claimed. What is claimed already passes nevertheless. */
  mayClaim(): boolean;
  /** Whether anybody may still pass. Those who have passed are given out nevertheless. */
  goesOn(): boolean;
}

export interface RecipientQueue {
  /** The next who is past both gates; nothing at the end. Any number may ask at once. */
  next(): Promise<ClaimedDelivery | undefined>;
  /** How many were looked at. */
  picked(): number;
  /** Whether the first gate found nobody any more. */
  isDry(): boolean;
}

/**
 * Recipients who are past both gates, one by one. The next are claimed, and the next group passes, while those before
 * them are being handed over.
 */
export function queueRecipients(gates: Gates): RecipientQueue {
  // Once each: whoever is called back and claimed again meanwhile stands here still, and two of one in a group would
  // both go.
  const claimed = new Map<number, ClaimedDelivery>();
  const passed: ClaimedDelivery[] = [];
  let [picked, dry] = [0, false];
  const claimMore = onceAtATime(async () => {
    const more = await gates.claim();
    picked += more.picked;
    dry = more.picked === 0;
    for (const one of more.claimed) claimed.set(one.contactId, one);
  });
  const passMore = onceAtATime(async () => {
    await gates.room();
    const group = new Map([...claimed].slice(0, gates.groupSize));
    for (const contactId of group.keys()) claimed.delete(contactId);
    for (const contactId of await gates.pass([...group.values()])) passed.push(group.get(contactId)!);
  });
  return {
    async next() {
      for (;;) {
        if (claimed.size < CLAIM_AGAIN && !dry && gates.mayClaim() && gates.goesOn()) claimMore.begin();
        const one = passed.shift();
        // Another group passes once less than one is ahead: lanes seldom wait for it, and nobody long behind it.
        if (passed.length < gates.groupSize && claimed.size > 0 && gates.goesOn()) passMore.begin();
        if (one) return one;
        if (passMore.busy()) await passMore.end();
        else if (claimMore.busy()) await claimMore.end();
        else return undefined;
      }
    },
    picked: () => picked,
    isDry: () => dry,
  };
}
