import type { BuiltInList, EndedBy, SubscriptionState } from '../../shared/words.ts';

/** What can stand between a person and a list: an entry, the end of a subscription, or that there is none. */
export const STANDINGS = [
  'erasure',
  'complaint',
  'opt-out',
  'left',
  'taken-off-by-staff',
  'taken-off-by-rule',
  'undeliverable',
  'invalid',
  'spam-trap',
  'sunset',
  'automated',
  'kept',
  'archived',
  'pending',
  'never',
] as const;
/** One of STANDINGS. */
export type Standing = (typeof STANDINGS)[number];

/** Who asks that it end, and by which way: the first five are the person's own. */
export const WAYS = [
  'form',
  'preferences',
  'confirmation',
  'elsewhere',
  'engagement',
  'staff',
  'import',
  'rule',
  'undo',
] as const;
/** One of WAYS. */
export type Way = (typeof WAYS)[number];

/** What becomes of the asking: it ends, it ends once the person has confirmed by mail, or it stays. */
export type Answer = 'may' | 'confirm' | 'not';

interface ConsentRow {
  /** What stands, in words. */
  what: string;
  /** Who alone can end it, as it is said to whoever may not. */
  only: string;
  answers: Partial<Record<Way, Answer>>;
}

/** Each way in words, as the heads of the table in docs/consent.md. */
export const WAY_WORDS: Readonly<Record<Way, string>> = {
  form: 'signs up by a form or the API',
  preferences: 'chooses behind the link of a message',
  confirmation: 'presses the button of a confirmation message',
  elsewhere: 'subscribes elsewhere, as another system records',
  engagement: 'clicks, replies, buys …',
  staff: 'staff',
  import: 'an import',
  rule: 'a rule',
  undo: 'undo of the run that did it',
};

/**
 * Who may end what, and by which way. Whatever is not named may not. Everything that ends a mark, an entry or the end
 * of a subscription asks this table, in code or as SQL made from it; docs/consent.md prints it.
 */
export const CONSENT: Readonly<Record<Standing, ConsentRow>> = {
  erasure: {
    what: 'erased at their own request',
    only: 'Whoever was erased stays out: nobody can lift that.',
    answers: {},
  },
  complaint: {
    what: 'complained',
    only: 'Only a fresh confirmation by the contact lifts a complaint.',
    answers: { form: 'confirm', preferences: 'confirm', confirmation: 'may' },
  },
  'opt-out': {
    what: 'asked the brand for no more',
    only: 'Only the contact can take back that they asked for no more, by signing up again.',
    answers: { form: 'confirm', preferences: 'confirm', confirmation: 'may', elsewhere: 'may' },
  },
  left: {
    what: 'left the list',
    only: 'Only the contact can come back to a list that they left, by signing up again.',
    answers: { form: 'confirm', preferences: 'confirm', confirmation: 'may', elsewhere: 'may' },
  },
  'taken-off-by-staff': {
    what: 'taken off by staff, and never left themselves',
    only: 'Staff, an undo or the contact can give it back, unless the contact has left or complained since.',
    answers: {
      form: 'confirm',
      preferences: 'confirm',
      confirmation: 'may',
      elsewhere: 'may',
      staff: 'may',
      undo: 'may',
    },
  },
  'taken-off-by-rule': {
    what: 'taken off by a rule or a standing act, and never left themselves',
    only: 'Staff, an undo, the contact or, where the rule says so, an engagement can give it back, unless the contact has left or complained since.',
    answers: {
      form: 'confirm',
      preferences: 'confirm',
      confirmation: 'may',
      elsewhere: 'may',
      engagement: 'may',
      staff: 'may',
      undo: 'may',
    },
  },
  undeliverable: {
    what: 'the address cannot receive',
    only: 'A verified delivery, staff or an undo lifts it.',
    answers: { staff: 'may', rule: 'may', undo: 'may' },
  },
  invalid: {
    what: 'no valid address, as a verifier says',
    only: 'Staff or an undo lifts it.',
    answers: { staff: 'may', undo: 'may' },
  },
  'spam-trap': { what: 'a spam trap', only: 'Staff or an undo lifts it.', answers: { staff: 'may', undo: 'may' } },
  sunset: {
    what: 'at sunset',
    only: 'Any act of theirs, staff, the rule or an undo lifts it.',
    answers: {
      form: 'confirm',
      preferences: 'confirm',
      confirmation: 'may',
      engagement: 'may',
      staff: 'may',
      rule: 'may',
      undo: 'may',
    },
  },
  automated: {
    what: 'taken for an automated address',
    only: 'Staff, the rule or an undo lifts it.',
    answers: { staff: 'may', rule: 'may', undo: 'may' },
  },
  kept: {
    what: 'on a list kept by people, in its scope',
    only: 'Staff or an undo lifts it.',
    answers: { staff: 'may', undo: 'may' },
  },
  archived: {
    what: 'archived',
    only: 'Staff or an undo restores them, and so does their own confirmation.',
    answers: { form: 'confirm', preferences: 'confirm', confirmation: 'may', staff: 'may', undo: 'may' },
  },
  pending: {
    what: 'asked to confirm, and has not yet',
    only: 'Only the contact can confirm.',
    answers: { form: 'confirm', preferences: 'confirm', confirmation: 'may', elsewhere: 'may' },
  },
  never: {
    what: 'never on the list',
    only: 'Whoever was never on the list comes onto it by signing up, by an import or by staff who say what the permission is.',
    answers: {
      form: 'may',
      preferences: 'confirm',
      confirmation: 'may',
      elsewhere: 'may',
      staff: 'may',
      import: 'may',
    },
  },
};

/** Whether what stands ends when it is asked by this way. */
export function mayEnd(standing: Standing, way: Way): Answer {
  return CONSENT[standing].answers[way] ?? 'not';
}

/** The hardest of the answers to several things that stand at once. */
export function hardestOf(answers: readonly Answer[]): Answer {
  return answers.includes('not') ? 'not' : answers.includes('confirm') ? 'confirm' : 'may';
}

/** What an entry of a built-in list is; an opt-out that is not the contact's own word is what took them off. */
export function standingOfEntry(builtIn: BuiltInList | null, endedBy: EndedBy | null): Standing {
  switch (builtIn) {
    case null:
      return 'kept';
    case 'hard-bounce':
    case 'bounce-count':
      return 'undeliverable';
    case 'opt-out':
      return standingOfEnd(endedBy) === 'left' ? 'opt-out' : standingOfEnd(endedBy);
    default:
      return builtIn;
  }
}

/** What stands where a subscription is in this state; nothing where somebody is subscribed. */
export function standingOfState(state: SubscriptionState | null, endedBy: EndedBy | null): Standing | undefined {
  if (state === 'subscribed') return undefined;
  if (state === 'unsubscribed') return standingOfEnd(endedBy);
  return state ?? 'never';
}

/** Whoever is not known to have been taken off left themselves. */
function standingOfEnd(endedBy: EndedBy | null): 'left' | 'taken-off-by-staff' | 'taken-off-by-rule' {
  if (endedBy === null || endedBy === 'contact') return 'left';
  return endedBy === 'staff' ? 'taken-off-by-staff' : 'taken-off-by-rule';
}

/** Why staff may not lift an entry, in words for them; null when they may. */
export function whyStaffMayNotLift(builtIn: BuiltInList | null, endedBy: EndedBy | null): string | null {
  const standing = standingOfEntry(builtIn, endedBy);
  return mayEnd(standing, 'staff') === 'not' ? CONSENT[standing].only : null;
}

const ANSWER_WORDS: Readonly<Record<Answer, string>> = { may: 'yes', confirm: 'after confirming', not: 'no' };

/** The table in Markdown, as docs/consent.md prints it. */
export function consentMarkdown(): string {
  const line = (cells: string[]): string => `| ${cells.join(' | ')} |`;
  return [
    line(['What stands', ...WAYS.map((way) => WAY_WORDS[way])]),
    line(['---', ...WAYS.map(() => '---')]),
    ...STANDINGS.map((standing) =>
      line([CONSENT[standing].what, ...WAYS.map((way) => ANSWER_WORDS[mayEnd(standing, way)])]),
    ),
  ].join('\n');
}
