/**
 * A thing as the API shows it, with these of its instants as dates and not as texts: what a statement gives, before it
 * is written as JSON.
 */
export type WithDates<T, K extends keyof T> = {
  [P in keyof T]: P extends K ? Date | Exclude<T[P], string> : T[P];
};
