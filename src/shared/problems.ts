interface ProblemKind {
  title: string;
  status: 400 | 401 | 403 | 404 | 409 | 413 | 422 | 429 | 500 | 503;
  /** Exit code of the command line: 1 refused or failed, 2 wrong usage. */
  exit: 1 | 2;
  next: string;
}

/**
 * Every refusal that Avendel gives: title, HTTP status, exit code, and what to do next. docs/problems.md is held to
 * this table.
 */
export const PROBLEMS = {
  'invalid-input': {
    title: 'Something in what was given cannot be used',
    status: 422,
    exit: 2,
    next: 'Correct the field that is named and send it again.',
  },
  'unreadable-body': {
    title: 'The request body cannot be read',
    status: 400,
    exit: 2,
    next: 'Send JSON in UTF-8, or the file as it is.',
  },
  'not-signed-in': {
    title: 'Nobody is signed in',
    status: 401,
    exit: 1,
    next: 'Sign in with `avendel sign-in`, or set AVENDEL_TOKEN.',
  },
  'wrong-password': {
    title: 'Address or password is wrong',
    status: 401,
    exit: 1,
    next: 'Try again; `npm start` prints the demo password.',
  },
  csrf: {
    title: 'The request did not come from the console',
    status: 403,
    exit: 1,
    next: 'Reload the page and try again.',
  },
  'not-allowed': {
    title: 'This token may not do that',
    status: 403,
    exit: 1,
    next: 'Use a token of a wider scope; `avendel access tokens` lists what each may do.',
  },
  'not-found': { title: 'There is no such thing', status: 404, exit: 1, next: 'Look at the list of what there is.' },
  'name-taken': { title: 'That name is in use', status: 409, exit: 1, next: 'Choose another name.' },
  'wrong-state': {
    title: 'Not possible in its present state',
    status: 409,
    exit: 1,
    next: 'Look at its state; what it allows is listed there.',
  },
  'not-liftable': {
    title: 'Staff cannot lift this',
    status: 409,
    exit: 1,
    next: 'Have the contact sign up again and confirm; docs/consent.md says who may end what.',
  },
  'still-mailable': {
    title: 'Some of these may still be written to',
    status: 409,
    exit: 1,
    next: 'Look at how many, by which brand, and say that number along with the act.',
  },
  'count-moved': {
    title: 'The count has moved since it was looked at',
    status: 409,
    exit: 1,
    next: 'Look at the new count and confirm it.',
  },
  'changed-meanwhile': {
    title: 'Somebody else has changed it since you looked',
    status: 409,
    exit: 1,
    next: 'Look at what it is now, and change that; nothing of yours was kept by the service.',
  },
  'bad-condition': {
    title: 'The condition cannot be used',
    status: 422,
    exit: 2,
    next: 'Look at the place that is named; docs/conditions.md has the language.',
  },
  'took-too-long': {
    title: 'It took too long and was stopped',
    status: 503,
    exit: 1,
    next: 'Narrow it, or try again when less is under way.',
  },
  'key-reused': {
    title: 'The Idempotency-Key was used for something else',
    status: 409,
    exit: 1,
    next: 'Use a new key for a new request.',
  },
  'nobody-left': {
    title: 'Nobody would get this',
    status: 409,
    exit: 1,
    next: 'Look at the preflight: every contact is held back, and why.',
  },
  'held-back': {
    title: 'Nothing may be sent to this address',
    status: 409,
    exit: 1,
    next: 'Send it to another address; `avendel contacts check ADDRESS` says why.',
  },
  'message-unfit': {
    title: 'The message cannot be sent as it is',
    status: 422,
    exit: 1,
    next: 'Mend the places that are named.',
  },
  'bad-file': {
    title: 'The file cannot be imported',
    status: 422,
    exit: 1,
    next: 'Mend the file and import it again; nothing was changed.',
  },
  'too-large': { title: 'That is too large', status: 413, exit: 1, next: 'Split it and send the parts.' },
  'built-in': {
    title: 'This list is filled by rules',
    status: 409,
    exit: 1,
    next: 'Keep entries of your own on a list of your own.',
  },
  'too-many-tries': {
    title: 'There were too many tries',
    status: 429,
    exit: 1,
    next: 'Wait an hour and try again.',
  },
  'too-busy': {
    title: 'More comes in than can be written',
    status: 503,
    exit: 1,
    next: 'Wait a moment and send it again; nothing was recorded.',
  },
  failed: {
    title: 'Something went wrong inside Avendel',
    status: 500,
    exit: 1,
    next: 'Try again; the log of the service has the details.',
  },
} as const satisfies Record<string, ProblemKind>;

export type ProblemCode = keyof typeof PROBLEMS;

/** A refusal as it travels (RFC 9457). */
export interface ProblemDocument {
  type: string;
  title: string;
  status: number;
  detail: string;
  next: string;
  field?: string;
  [extra: string]: unknown;
}

/** The document of a refusal; `type` is a path under the service's own documentation. */
export function problemDocument(
  code: ProblemCode,
  detail: string,
  field?: string,
  extra: Record<string, unknown> = {},
): ProblemDocument {
  const { title, status, next } = PROBLEMS[code];
  return {
    ...extra,
    type: `/docs/problems#${code}`,
    title,
    status,
    detail,
    next,
    ...(field === undefined ? {} : { field }),
  };
}
