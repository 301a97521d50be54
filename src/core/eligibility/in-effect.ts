/** What says whether an entry of a suppression list stops anybody. */
export interface Ending {
  /** When it was lifted; null while it stands. */
  liftedAt: Date | null;
  /** The instant from which it holds no more; null for always. */
  expiresAt: Date | null;
}

/** Whether an entry is in effect at `now`: neither lifted nor past its end. */
export function isInEffect({ liftedAt, expiresAt }: Ending, now: Date): boolean {
  return liftedAt === null && (expiresAt === null || expiresAt > now);
}

/** The same of the row `e` of `suppression_entry`, as SQL; `now` is an instant in SQL, else that of the database. */
export function inEffectSql(now = 'now()'): string {
  return `(e.lifted_at IS NULL AND (e.expires_at IS NULL OR e.expires_at > ${now}))`;
}
