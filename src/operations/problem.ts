import { PROBLEMS, type ProblemCode } from '../shared/problems.ts';

/**
 * A refusal that a person can act on: its code decides title, HTTP status and exit code; `detail` says what was wrong
 * here.
 */
export class Problem extends Error {
  readonly code: ProblemCode;
  readonly detail: string;
  /** Where in what was given: a field's path, a row, a place in a text. */
  readonly field: string | undefined;
  readonly extra: Record<string, unknown>;

  constructor(code: ProblemCode, detail: string, options: { field?: string; extra?: Record<string, unknown> } = {}) {
    super(`${PROBLEMS[code].title}: ${detail}`);
    this.code = code;
    this.detail = detail;
    this.field = options.field;
    this.extra = options.extra ?? {};
  }
}

/** The value, or the refusal that there is no such thing. */
export function found<T>(value: T | null | undefined, what: string): T {
  if (value === null || value === undefined) throw new Problem('not-found', `There is no ${what}.`);
  return value;
}

/** The version that something stands at, and who brought it there. */
interface Standing {
  version: number;
  changedBy?: string | null;
}

/**
 * Keeps a change off what somebody else changed after it was looked at.
 * @param seen the version that was looked at; undefined for whoever changes it as it is
 * @throws Problem changed-meanwhile
 */
export function assertVersion(seen: number | undefined, what: string, now: Standing): void {
  if (seen !== undefined && seen !== now.version) throw changedMeanwhile(seen, what, now);
}

/** The refusal that it is at another version by now than the one that was looked at. */
export function changedMeanwhile(seen: number | undefined, what: string, now: Standing): Problem {
  const by = now.changedBy ? `, by ${now.changedBy}` : '';
  const detail = `${what} is at version ${now.version} by now${by}; you changed version ${seen}.`;
  return new Problem('changed-meanwhile', detail, {
    extra: { version: now.version, changedBy: now.changedBy ?? null },
  });
}

/** What can be undone may have moved a little since it was looked at; by more than this, somebody has to look again. */
const LEEWAY = 0.01;

/** @throws Problem count-moved when what is counted now is not what was expected */
export function assertExpected(expected: number, now: number, leeway = LEEWAY): void {
  if (Math.abs(now - expected) <= (leeway === 0 ? 0 : Math.max(1, expected) * leeway)) return;
  throw new Problem('count-moved', `${expected} were expected to change; now it is ${now}.`, {
    extra: { expected, now },
  });
}
