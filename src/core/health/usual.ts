import type { ActsByHour, ActShares } from '../../shared/contract/reports.ts';

export type { ActsByHour, ActShares };

/** Contacts who first did something within an hour after they got it, counted from 0. */
export interface FirstActs {
  figure: string;
  hours: number;
  contacts: number;
}

const COLUMNS: Record<string, keyof Omit<ActsByHour, 'hours'>> = {
  opened: 'opened',
  'opened any': 'openedAny',
  clicked: 'clicked',
  'clicked any': 'clickedAny',
};
/** The figures of a campaign that are told by the hour. */
export const TOLD_BY_HOUR = Object.keys(COLUMNS);

/** The middle of some numbers, or of the two in the middle; undefined of none. */
export function median(values: readonly number[]): number | undefined {
  const sorted = [...values].sort((one, other) => one - other);
  const middle = sorted.length / 2;
  return sorted.length % 2 === 0 && sorted.length > 0
    ? (sorted[middle - 1]! + sorted[middle]!) / 2
    : sorted[Math.floor(middle)];
}

/** The shares of one campaign, by its figures; undefined while it is delivered to nobody. */
export function sharesOf(figures: ReadonlyMap<string, number>): ActShares | undefined {
  const of = (figure: string): number => figures.get(figure) ?? 0;
  const delivered = of('accepted') - of('bounced any');
  if (delivered <= 0) return undefined;
  const share = (figure: string): number => of(figure) / delivered;
  return {
    opened: { human: share('opened'), any: share('opened any') },
    clicked: { human: share('clicked'), any: share('clicked any') },
    complained: share('complained'),
    unsubscribed: share('unsubscribed'),
  };
}

/** What is usual: of each act the median of these campaigns; undefined of none. */
export function usualShares(all: readonly ActShares[]): ActShares | undefined {
  if (all.length === 0) return undefined;
  const middle = (of: (one: ActShares) => number): number => median(all.map(of))!;
  return {
    opened: { human: middle((one) => one.opened.human), any: middle((one) => one.opened.any) },
    clicked: { human: middle((one) => one.clicked.human), any: middle((one) => one.clicked.any) },
    complained: middle((one) => one.complained),
    unsubscribed: middle((one) => one.unsubscribed),
  };
}

/** The sums up to each hour in which anybody first did something, in order. */
export function actsByHour(acts: readonly FirstActs[]): ActsByHour[] {
  const sum: ActsByHour = { hours: 0, opened: 0, openedAny: 0, clicked: 0, clickedAny: 0 };
  const points = new Map<number, ActsByHour>();
  for (const { figure, hours, contacts } of [...acts].sort((one, other) => one.hours - other.hours)) {
    const column = COLUMNS[figure];
    if (!column) continue;
    sum[column] += contacts;
    points.set(hours, { ...sum, hours: hours + 1 });
  }
  return [...points.values()];
}

/** How many had opened by a number of hours, as the points say. */
export function openedBy(points: readonly ActsByHour[], hours: number): number {
  return points.filter((point) => point.hours <= hours).at(-1)?.opened ?? 0;
}

/**
 * How opening usually goes: at each of these hours the median of the shares that had opened by then.
 * @param campaigns the points of each, with how many it was delivered to
 */
export function usualOpening(
  campaigns: readonly { points: readonly ActsByHour[]; delivered: number }[],
  atHours: readonly number[],
): { hours: number; share: number }[] {
  const told = campaigns.filter(({ delivered }) => delivered > 0);
  if (told.length === 0) return [];
  return atHours.map((hours) => ({
    hours,
    share: median(told.map(({ points, delivered }) => openedBy(points, hours) / delivered))!,
  }));
}
