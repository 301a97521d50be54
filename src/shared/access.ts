/**
 * What a program may do with its token; each may what stands before it, too. Who is signed in to the console may
 * everything.
 */
export const TOKEN_SCOPES = ['read', 'write', 'send', 'administer'] as const;
/** One of TOKEN_SCOPES. */
export type TokenScope = (typeof TOKEN_SCOPES)[number];

export const TOKEN_SCOPE_WORDS: Readonly<Record<TokenScope, string>> = {
  read: 'read everything',
  write: 'read, and change contacts, lists, rules and drafts',
  send: 'read, change all that, and send campaigns',
  administer: 'do everything, with brands, mailboxes and access',
};

/** Whether a token of this scope is enough for what needs that one. */
export function isEnough(scope: TokenScope, needed: TokenScope): boolean {
  return TOKEN_SCOPES.indexOf(scope) >= TOKEN_SCOPES.indexOf(needed);
}
