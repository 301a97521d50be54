/** What the links of messages and of pages for strangers begin with, each a word that says what it is for. */
export const PUBLIC_PATHS = {
  /** The pixel of a message. */
  seen: '/seen',
  /** A link of a message, on to where it leads. */
  to: '/to',
  /** The way out of a message: one click, or a page with a button. */
  out: '/out',
  /** What somebody wants to receive. */
  choose: '/choose',
  /** The form of a list, for signing up. */
  join: '/join',
  /** The button that confirms a sign-up. */
  confirm: '/confirm',
  /** What the script on the organisation's own sites tells; the script itself is `/visit.js`. */
  visit: '/visit',
} as const;

/** The single letters that links began with before; messages that left then keep them. */
const WAS: ReadonlyMap<string, string> = new Map([
  ['o', PUBLIC_PATHS.seen],
  ['c', PUBLIC_PATHS.to],
  ['u', PUBLIC_PATHS.out],
  ['p', PUBLIC_PATHS.choose],
  ['s', PUBLIC_PATHS.join],
  ['k', PUBLIC_PATHS.confirm],
  ['v', PUBLIC_PATHS.visit],
]);

/** The path of a link in today's form, whichever form it came in. */
export function todaysPath(path: string): string {
  const letter = /^\/([a-z])(?=[/.]|$)/.exec(path)?.[1];
  const now = letter === undefined ? undefined : WAS.get(letter);
  return now === undefined ? path : now + path.slice(2);
}
