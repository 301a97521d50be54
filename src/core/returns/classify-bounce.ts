import type { BounceClass } from '../../shared/words.ts';
import {
  FOUND_LATER,
  NO_ANSWER,
  OF_RECIPIENT,
  STATUS_TABLE,
  TURNED_AWAY,
  UNAVAILABLE,
  WORDS_TABLE,
  type StatusRow,
  type WordsAbout,
  type WordsRow,
} from './bounce-table.ts';
import { MAX_TEXT_CHARACTERS } from './limits.ts';

/** What a refusing or reporting server said of one recipient. */
export interface BounceEvidence {
  /** Enhanced status code as `5.1.1`, or empty (RFC 3463). */
  status: string;
  /** SMTP reply code as `550`, or empty (RFC 5321 section 4.2). */
  replyCode: string;
  /** Whatever text stands with it. */
  text: string;
  /** The refusal came at the end of DATA and was reported for several recipients: it is about the message. */
  ofMessage?: boolean;
}

export interface BounceDecision {
  class: BounceClass;
  /** Which row of the table decided, and on what words. */
  because: string;
  /** Nothing decided. */
  doubt?: boolean;
}

type Found = Partial<Record<WordsAbout, { words: string; row: WordsRow }>>;

/**
 * Bounce class by status first, reply second, text last; when in doubt an address is not condemned. A status that
 * condemns stands only as long as neither the reply code nor the words speak against it.
 */
export function classifyBounce(evidence: BounceEvidence): BounceDecision {
  const { status, ofMessage } = evidence;
  const row = STATUS_TABLE.find((candidate) => candidate.status.test(status));
  const text = evidence.text.slice(0, MAX_TEXT_CHARACTERS);
  if (row && row.class !== 'hard') return againstSoft(row, evidence, text) ?? byStatus(row, status);
  const found = findWords(text);
  const decision = row ? againstWords(row, evidence, found) : byReply(evidence, text, found);
  if (decision.class === 'hard' && ofMessage)
    return {
      class: 'soft',
      because: `${decision.because}; but it was said at the end of DATA of several recipients at once, and so of the message`,
    };
  return decision;
}

/**
 * What a status that does not condemn leaves open: a domain that takes no mail, and 5.4.1 for a recipient who was
 * turned away.
 */
function againstSoft(
  row: StatusRow,
  { status, replyCode, ofMessage }: BounceEvidence,
  text: string,
): BounceDecision | undefined {
  if (row.class !== 'soft' || ofMessage) return undefined;
  const found = findWords(text);
  if (found['no-mail'] && !found.sender) return byWords(found['no-mail'], `status ${status}, but`);
  if (status !== '5.4.1' || replyCode.startsWith('4') || found.sender || NO_ANSWER.test(text)) return undefined;
  const away = TURNED_AWAY.exec(text)?.[0];
  const known = found.unknown ?? found.domain;
  if (away === undefined && !known) return undefined;
  return {
    class: 'hard',
    because: `status 5.4.1, and the text says “${away ?? known!.words}”: the recipient was turned away`,
  };
}

function byWords({ words, row }: { words: string; row: WordsRow }, before: string): BounceDecision {
  return { class: row.class, because: `${before} the text says “${words}”: ${row.source}` };
}

function byStatus(row: StatusRow, status: string): BounceDecision {
  return { class: row.class, because: `status ${status}: ${row.source}` };
}

/**
 * A status that says "no such address" yields to a reply that is temporary, and to words that speak of something else.
 */
function againstWords(row: StatusRow, { status, replyCode }: BounceEvidence, found: Found): BounceDecision {
  if (replyCode.startsWith('4'))
    return { class: 'soft', because: `status ${status}, but reply ${replyCode} is temporary (RFC 5321 4.2.1)` };
  const against =
    (found['no-mail'] ?? found.unknown ?? found.domain)
      ? found.sender
      : (found.sender ?? found.block ?? found.full ?? found.size ?? found.later);
  if (against) return { class: against.row.class, because: `status ${status}, but the text says “${against.words}”` };
  return byStatus(row, status);
}

function byReply({ status, replyCode }: BounceEvidence, text: string, found: Found): BounceDecision {
  const takesNoMail = found.sender ? undefined : found['no-mail'];
  if (takesNoMail) return byWords(takesNoMail, 'no deciding status;');
  if (replyCode.startsWith('4')) return { class: 'soft', because: `reply ${replyCode}: temporary (RFC 5321 4.2.1)` };
  const decided = found.sender ?? found.unknown ?? found.domain ?? found.full ?? found.size ?? found.block;
  if (decided) return byWords(decided, 'no deciding status;');
  const condemned = replyCode.startsWith('5') && !FOR_NOW.test(text) ? condemnedByReply(status, text) : undefined;
  if (condemned !== undefined)
    return { class: 'hard', because: `reply ${replyCode}, and the text says “${condemned}” (RFC 5321 4.2.3)` };
  if (found.later) return byWords(found.later, 'no deciding status;');
  if (replyCode === '552') return { class: 'soft', because: 'reply 552: storage exceeded (RFC 5321 4.2.3)' };
  return { class: 'soft', because: 'nothing decides: in doubt an address is not condemned', doubt: true };
}

/** What a permanent reply says of a mailbox that would be too weak without it. */
function condemnedByReply(status: string, text: string): string | undefined {
  const unavailable = UNAVAILABLE.exec(text)?.[0];
  if (unavailable !== undefined) return unavailable.replace(/\s+/g, ' ');
  return status === '5.1.0' && OF_RECIPIENT.test(text) ? TURNED_AWAY.exec(text)?.[0] : undefined;
}

function findWords(text: string): Found {
  const found: Found = {};
  for (const row of WORDS_TABLE) {
    const words = row.words.exec(text)?.[0];
    if (words !== undefined) found[row.about] = { words: words.replace(/\s+/g, ' ').slice(0, 100), row };
  }
  // A name that was not found for now may be there later, and closed for now is not closed.
  const later = FOUND_LATER.test(text);
  if (later) delete found.domain;
  if (found.unknown && (FOR_NOW.test(found.unknown.words) || (later && /found$/i.test(found.unknown.words))))
    delete found.unknown;
  return found;
}

const FOR_NOW = /\b(temporar|current|try(ing)? (again|later)|at this time|right now|for now)/i;

/** Whether this status says nothing more than "failed": another source of evidence is nearer to the fact. */
export function isCatchAll(status: string): boolean {
  return !STATUS_TABLE.some((row) => row.status.test(status)) || /^[45]\.0\.0$/.test(status);
}

const STATUS_IN_TEXT = /(?:^|[^\d.])([245]\.\d{1,3}\.\d{1,3})(?![\d.]?\d)/;
const REPLY_AT_START = /^\W{0,3}([245]\d\d)(?=[ \-:;,#]|$)/;
const REPLY_SAID =
  /\b(?:said|says|replied|returned|reply|response|error|reason)\b[^\d\n]{0,40}([245]\d\d)(?=[ \-:;,#'"]|$)/i;
const REPLY_IN_TEXT = /(?:^|[\s(<['"-])([245]\d\d)(?=[ -][\d#"'<(]|[ -][A-Za-z]|$)/m;

/** The enhanced status code that stands in a text, or an empty one. The first that is no catch-all is preferred. */
export function statusInText(text: string): string {
  let first = '';
  let rest = text.slice(0, MAX_TEXT_CHARACTERS);
  for (let tries = 0; tries < 5; tries++) {
    const found = STATUS_IN_TEXT.exec(rest);
    if (!found) break;
    if (!isCatchAll(found[1]!)) return found[1]!;
    first ||= found[1]!;
    rest = rest.slice(found.index + found[0].length);
  }
  return first;
}

/** The SMTP reply code that stands in a text, or an empty one. */
export function replyCodeInText(text: string): string {
  const words = text.slice(0, MAX_TEXT_CHARACTERS);
  return (REPLY_AT_START.exec(words) ?? REPLY_SAID.exec(words) ?? REPLY_IN_TEXT.exec(words))?.[1] ?? '';
}
