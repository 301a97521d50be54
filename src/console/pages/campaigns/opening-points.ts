/** What several lines are at some hours. */
export interface OpeningPoint {
  hours: number;
  [line: string]: number;
}

/** So far a chart goes: afterwards little comes. */
const LAST_HOUR = 72;

/** A line by the hours where it rises; it ends at `until`, where that is given: later nobody knows yet. */
export interface OpeningLine {
  rises: readonly { hours: number; value: number }[];
  until?: number;
}

/** Lines at all the hours where any of them rises, from 0 on. */
export function openingPoints(lines: Record<string, OpeningLine>): OpeningPoint[] {
  const all = Object.entries(lines);
  const rises = all.flatMap(([, line]) => line.rises.map(({ hours }) => hours));
  const last = Math.min(LAST_HOUR, Math.max(0, ...rises));
  const hours = [...new Set([0, ...rises.filter((at) => at <= last), last])].sort((one, other) => one - other);
  return hours.map((at) => ({
    hours: at,
    ...Object.fromEntries(
      all
        .filter(([, { until }]) => until === undefined || at <= until)
        .map(([name, line]) => [name, line.rises.filter((point) => point.hours <= at).at(-1)?.value ?? 0]),
    ),
  }));
}

/** How many hours ago something began, the last one counted whole. */
export const hoursSince = (instant: string, now: number): number => Math.ceil((now - Date.parse(instant)) / 3_600_000);
