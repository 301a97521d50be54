import type { BounceClass } from '../../shared/words.ts';

/** What a refusing or reporting server said of one recipient. */
export interface BounceEvidence {
  /** Enhanced status code as `5.1.1`, or empty (RFC 3463). */
  status: string;
  /** SMTP reply code as `550`, or empty (RFC 5321 section 4.2). */
  replyCode: string;
  /** Whatever text stands with it. */
  text: string;
}

export interface BounceDecision {
  class: BounceClass;
  /** Which row of the table decided, and on what words. */
  because: string;
}

interface StatusRow {
  status: RegExp;
  class: BounceClass;
  source: string;
}

/** Enhanced status codes that decide by themselves. The first row that matches holds; the catch-all codes are in no row. */
const STATUS_TABLE: readonly StatusRow[] = [
  { status: /^[45]\.2\.2$/, class: 'soft', source: 'RFC 3463 3.3: mailbox full' },
  { status: /^5\.2\.3$/, class: 'soft', source: 'RFC 3463 3.3: message longer than this mailbox takes' },
  { status: /^5\.3\.4$/, class: 'soft', source: 'RFC 3463 3.4: message too big for the system' },
  { status: /^[45]\.4\.1$/, class: 'soft', source: 'RFC 3463 3.5: no answer from host' },
  { status: /^4\.\d+\.\d+$/, class: 'soft', source: 'RFC 3463 2: persistent transient failure' },
  { status: /^5\.1\.1$/, class: 'hard', source: 'RFC 3463 3.2: bad destination mailbox' },
  { status: /^5\.1\.2$/, class: 'hard', source: 'RFC 3463 3.2: bad destination system' },
  { status: /^5\.1\.3$/, class: 'hard', source: 'RFC 3463 3.2: bad destination syntax' },
  { status: /^5\.1\.6$/, class: 'hard', source: 'RFC 3463 3.2: mailbox has moved, no forwarding address' },
  { status: /^5\.1\.10$/, class: 'hard', source: 'RFC 7505 4: null MX' },
  { status: /^5\.2\.1$/, class: 'hard', source: 'RFC 3463 3.3: mailbox disabled' },
  { status: /^5\.4\.4$/, class: 'hard', source: 'RFC 3463 3.5: unable to route' },
  { status: /^5\.7\.\d+$/, class: 'block', source: 'RFC 3463 3.8: security or policy' },
  { status: /^5\.1\.[78]$/, class: 'block', source: "RFC 3463 3.2: sender's address" },
  { status: /^5\.6\.\d+$/, class: 'block', source: 'RFC 3463 3.7: content or media' },
];

/** Plain words, tried in this order when no status decides. Each pattern is linear. */
const BLOCK_WORDS =
  /\b(spam|block(ed|list|-list)?|denylist|reputation|policy|content|listed|rate|throttl\w*|authenticat\w*|spf|dkim|dmarc|unsolicited|bulk|rejected for|virus|banned|refused by filter)\b/i;
const FULL_WORDS =
  /\b(full|over ?quota|quota exceeded|exceeded (the )?(storage|quota)|insufficient (system )?storage|out of storage)\b/i;
const UNKNOWN_WORDS =
  /\b(unknown (user|recipient|mailbox|address|local part)|user unknown|no such (user|recipient|mailbox|address|person)|(user|recipient|mailbox|address|account) (does ?n[o']t|does not) exist|(user|recipient|mailbox|account) (is )?(unknown|not found|disabled|inactive|deactivated|closed|unavailable here)|not our customer|invalid (recipient|mailbox)|doesn't have (an|a) \w+ account)\b/i;

/** Bounce class by status first, reply second, text last; when in doubt an address is not condemned. */
export function classifyBounce({ status, replyCode, text }: BounceEvidence): BounceDecision {
  const words = text.slice(0, 2000);
  const row = STATUS_TABLE.find((candidate) => candidate.status.test(status));
  if (row && row.class !== 'hard') return { class: row.class, because: `status ${status}: ${row.source}` };
  if (row) return againstText(row, status, words);
  if (replyCode.startsWith('4')) return { class: 'soft', because: `reply ${replyCode}: temporary (RFC 5321 4.2.1)` };
  return byText(words, replyCode);
}

/** A precise "no such address" stands, unless the text plainly speaks of content or policy: then it was about the sender. */
function againstText(row: StatusRow, status: string, words: string): BounceDecision {
  const blocked = BLOCK_WORDS.exec(words);
  if (blocked && !UNKNOWN_WORDS.test(words))
    return { class: 'block', because: `status ${status}, but the text says “${blocked[0]}”` };
  return { class: row.class, because: `status ${status}: ${row.source}` };
}

function byText(words: string, replyCode: string): BounceDecision {
  const unknown = UNKNOWN_WORDS.exec(words);
  if (unknown) return { class: 'hard', because: `no deciding status; the text says “${unknown[0]}”` };
  const full = FULL_WORDS.exec(words);
  if (full || replyCode === '552')
    return {
      class: 'soft',
      because: full ? `no deciding status; the text says “${full[0]}”` : 'reply 552: storage exceeded (RFC 5321 4.2.3)',
    };
  const blocked = BLOCK_WORDS.exec(words);
  if (blocked) return { class: 'block', because: `no deciding status; the text says “${blocked[0]}”` };
  return { class: 'soft', because: 'nothing decides: in doubt an address is not condemned' };
}

const STATUS_IN_TEXT = /(?:^|[^\d.])([245]\.\d{1,3}\.\d{1,3})(?![\d.])/;
const REPLY_IN_TEXT = /(?:^|[^\d.])([245]\d\d)(?=[ \-:;,#]|$)/;

/** The enhanced status code that stands in a text, or an empty one. */
export function statusInText(text: string): string {
  return STATUS_IN_TEXT.exec(text)?.[1] ?? '';
}

/** The SMTP reply code that stands in a text, or an empty one. */
export function replyCodeInText(text: string): string {
  return REPLY_IN_TEXT.exec(text)?.[1] ?? '';
}
