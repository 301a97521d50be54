import type { Rate } from '../../shared/contract/reports.ts';
/** Counts of one campaign, receiving domain or period. */
export interface HealthCounts {
  accepted: number;
  bounced: number;
  hardBounced: number;
  complained: number;
  unsubscribed: number;
}

export type { Rate } from '../../shared/contract/reports.ts';

/** Page 4's limits: bounce 2 %, hard 1 %, complaint 0.1 %, unsubscribe 0.5 %. */
export const DEFAULT_LIMITS = { bounce: 0.02, hard: 0.01, complaint: 0.001, unsubscribe: 0.005 } as const;
/** Denominators under this are shown, never judged. */
export const LEAST_JUDGED = 200;

/** The four rates that mailbox providers punish, each with its limit. delivered = accepted − bounced. */
export function healthRates(counts: HealthCounts): Rate[] {
  const delivered = Math.max(0, counts.accepted - counts.bounced);
  const rate = (name: Rate['name'], count: number, of: number): Rate => {
    const value = of > 0 ? count / of : null;
    const limit = DEFAULT_LIMITS[name];
    return { name, count, of, rate: value, limit, over: value === null || of < LEAST_JUDGED ? null : value > limit };
  };
  return [
    rate('bounce', counts.bounced, counts.accepted),
    rate('hard', counts.hardBounced, counts.accepted),
    rate('complaint', counts.complained, delivered),
    rate('unsubscribe', counts.unsubscribed, delivered),
  ];
}
