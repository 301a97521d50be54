/**
 * How fast messages go to one receiving domain, or by a whole campaign, and how a domain that puts them off is backed
 * off from. Rates are messages an hour; instants are milliseconds since the epoch.
 */

const HOUR_MS = 3_600_000;
const MINUTE_MS = 60_000;
/** So many attempts are looked back on. */
export const RECENT = 50;
/** From so many of them on that were put off the rate is halved, or blocked, the domain is stopped: 20 %. */
export const MOST_OF_RECENT = 10;
/** One a minute: no rate is halved to less. */
const LEAST_RATE = 60;
/** So long a rate adds up while nothing goes, and goes at once then. */
const GATHERED_MS = 10_000;
/** With each minute in which nothing was put off a rate rises by this share of what it rises to. */
const RISE = 0.1;

/** What became of one attempt: it went, or was put off, or was blocked with words about rate or reputation. */
export type Outcome = 'went' | 'put-off' | 'blocked';

/** One attempt at a domain. */
export interface Attempt {
  at: number;
  outcome: Outcome;
}

/** A pace as it is kept between attempts. */
export interface Pace {
  /** The setting; null: none, as fast as the relay takes it. */
  perHour: number | null;
  /** Its rate now; null: as fast as the relay takes it. */
  rate: number | null;
  /** What it rises to while it is slowed down: its setting, or what it last managed. */
  base: number | null;
  /** How many may go at once, at the instant `tokensAt`. */
  tokens: number;
  tokensAt: number;
  /** When something was put off last, or the rate last rose. */
  quietSince: number;
  /** The last attempts since something was first put off. */
  recent: Attempt[];
}

/** A pace with this setting, from now on. A rate that was backed off to stays, if it is the lower one. */
export function setPace(pace: Pace, perHour: number | null, now: number): Pace {
  const isSlowed = pace.rate !== null && pace.base !== null && pace.rate < (perHour ?? Infinity);
  const rate = isSlowed ? pace.rate : perHour;
  const base = isSlowed ? (perHour ?? pace.base) : null;
  return { ...pace, perHour, rate, base, tokens: 0, tokensAt: now };
}

/** The pace as it is now: risen by a tenth for each minute in which nothing was put off. */
export function risen(pace: Pace, now: number): Pace {
  const quietSince = notAhead(pace.quietSince, now);
  const minutes = Math.floor((now - quietSince) / MINUTE_MS);
  if (pace.base === null || pace.rate === null || minutes < 1) return { ...pace, quietSince };
  const rate = pace.rate + minutes * RISE * pace.base;
  if (rate >= pace.base) return { ...pace, rate: pace.perHour, base: null, quietSince: now };
  return { ...pace, rate, quietSince: quietSince + minutes * MINUTE_MS };
}

/**
 * How many may go now at the most, whole ones; `Infinity` where nothing limits them. A clock that was put back adds
 * nothing.
 */
export function filled(pace: Pace, now: number): Pace & { room: number } {
  if (pace.rate === null) return { ...pace, tokens: 0, tokensAt: now, room: Infinity };
  return { ...pace, ...gathered({ ...pace, perHour: pace.rate }, now) };
}

/** What adds up of a rate: how many may go at an instant. */
export interface Gathered {
  tokens: number;
  tokensAt: number;
}

/** The same of a rate alone. What has gone in advance is made up for first. */
export function gathered(
  { perHour, tokens, tokensAt }: Gathered & { perHour: number },
  now: number,
): Gathered & { room: number } {
  const since = notAhead(tokensAt, now);
  const more = (perHour * Math.max(0, now - since)) / HOUR_MS;
  const most = Math.max(1, (perHour * GATHERED_MS) / HOUR_MS);
  const together = Math.min(most, tokens + more);
  return { tokens: together, tokensAt: Math.max(now, since), room: Math.max(0, Math.floor(together + 1e-9)) };
}

/** Two transactions may see the clock a little apart; what lies far ahead was kept before it was put back. */
const notAhead = (instant: number, now: number): number => (instant > now + MINUTE_MS ? now : instant);

/** What attempts at a domain make of its pace, and whether its blocks stop it. */
export interface Observed {
  pace: Pace;
  /** Its rate was halved by them. */
  halved: boolean;
  /** So many of the last attempts were blocked: nothing more goes until a person says so. */
  blocked: boolean;
}

/**
 * Takes attempts in that were made since the last ones, in order. Of too many that were put off the rate is halved;
 * what else was tried by then went at the rate before, and says nothing of the one that is now.
 */
export function observe(before: Pace, attempts: Attempt[], now: number): Observed {
  let [pace, halved] = [risen(before, now), false];
  for (const attempt of attempts) {
    if (halved) break;
    const recent = [...pace.recent, attempt].slice(-RECENT);
    pace = { ...pace, recent };
    if (attempt.outcome === 'put-off') pace.quietSince = now;
    if (count(recent, 'put-off') < MOST_OF_RECENT) continue;
    pace = { ...halve(pace, now), recent: [] };
    halved = true;
  }
  const blocked = count(pace.recent, 'blocked') >= MOST_OF_RECENT;
  return { pace: isCalm(pace) ? { ...pace, recent: [] } : pace, halved, blocked };
}

const count = (recent: Attempt[], outcome: Outcome): number =>
  recent.filter((attempt) => attempt.outcome === outcome).length;

/** Nothing of what is looked back on was put off or blocked: there is nothing to look at. */
const isCalm = ({ recent }: Pace): boolean => recent.every(({ outcome }) => outcome === 'went');

function halve(pace: Pace, now: number): Pace {
  const from = pace.rate ?? managed(pace.recent);
  const rate = Math.max(Math.min(LEAST_RATE, pace.perHour ?? LEAST_RATE), from / 2);
  const base = pace.base ?? pace.perHour ?? from;
  return { ...pace, rate, base, tokens: Math.min(pace.tokens, 1), tokensAt: now, quietSince: now };
}

/** The rate at which the last attempts went. */
function managed(recent: Attempt[]): number {
  const instants = recent.map(({ at }) => at);
  const span = Math.max(1000, Math.max(...instants) - Math.min(...instants));
  return Math.max(LEAST_RATE, (recent.length * HOUR_MS) / span);
}

/** Seconds until somebody who was put off is tried again, longer each time; nothing once a day has passed. */
export function nextTry(first: number, now: number, tries: number, retrySeconds: number): number | undefined {
  const left = GIVEN_UP_AFTER_MS - (now - first);
  if (left <= 0) return undefined;
  const wait = Math.min(LONGEST_WAIT_S, retrySeconds * 2 ** Math.min(tries, 30));
  return Math.min(wait, left / 1000);
}

const GIVEN_UP_AFTER_MS = 24 * HOUR_MS;
const LONGEST_WAIT_S = 7200;

/** Words of a refusal that speak of how much is sent, or of what is thought of the sender. */
const OF_RATE_OR_REPUTATION =
  /\b(reputation|throttl\w*|rate|rate-limit\w*|too (many|much|fast)|black ?-?list\w*|block ?-?list\w*|deny ?-?list\w*|dnsbl|rbl|listed (in|on|by|at)|is listed|spam\w*|unsolicited|bulk|complaints?|abuse)\b/i;

/** Whether a block speaks of rate or reputation, and so of all that the sender sends there. */
export const speaksOfRate = (text: string): boolean => OF_RATE_OR_REPUTATION.test(text);
