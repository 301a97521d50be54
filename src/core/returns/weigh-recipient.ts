import type { BounceClass } from '../../shared/words.ts';
import { classifyBounce, isCatchAll, replyCodeInText, statusInText } from './classify-bounce.ts';
import { MAX_TEXT_CHARACTERS } from './limits.ts';

/** What a report says of one recipient. */
export interface ReportedRecipient {
  address: string;
  class: BounceClass | 'delay' | 'success';
  status: string;
  reply_code: string;
  text: string;
  because: string;
  /** Nothing decided the class. */
  doubt?: boolean;
}

/** All that a report holds on one recipient; what is missing is empty. */
export interface RecipientEvidence {
  address: string;
  /** By RFC 3464 2.3.3, in lower case. */
  action: string;
  /** The status that the reporting server gives, which may be its own invention. */
  status: string;
  /** What the refusing server said. */
  diagnostic: string;
  /** What the part for people says about this recipient. */
  notes: string;
  /** The same was said of several recipients. */
  shared: boolean;
}

const WILL_TRY =
  /\b(will (continue|keep)( \w{1,12}){0,3} (try|to try|trying|attempt\w*|retry\w*)|will (be )?(retr|try again|tried again|attempted)\w*|still (being )?(trying|tried|undelivered|attempting)|do not need to (resend|re-send)|no action is required|warning (message )?only|(has|have) not (yet )?been delivered|not yet (been )?delivered|(has been|is|was|being) delayed|delayed (mail|message|delivery)|attempts? will continue|delivery attempts will)/i;
const GAVE_UP =
  /\b(giv(e|ing|en) up|gave up|failed permanently|permanent(ly)? (fatal )?(errors?|failures?|failed|undeliverable)|permanent fatal|no (further|more) (delivery )?attempts|not going to try|will not be (re-?tried|tried|attempted)|won['’]t be (re)?tried|(been in|in) the queue too long|removed from the (mail )?queue|(has|have|was|were) expired|(?<!(until|if|when|before|once)( \w{1,12}){0,3} )(delivery( time)?|message|mail|queue|retry time|lifetime|time)( \w{1,12}){0,2} expired|expired (in|from) (the )?queue|(final|last) attempt|undeliverable|could not be delivered and|returned to (the )?sender)/i;

/**
 * Weighs the evidence of one recipient. The words of the server that refused outweigh a catch-all of the server that
 * reports; a failure marked as a delay is a failure when the server has given up, and the other way round; an address
 * is never condemned on the weakest of it.
 */
export function weighRecipient(evidence: RecipientEvidence): ReportedRecipient {
  const text = (evidence.diagnostic || evidence.notes).slice(0, MAX_TEXT_CHARACTERS);
  const inText = statusInText(text);
  // The reply is nearer to the fact than the status of whoever reports it.
  const status = inText !== '' && (!isCatchAll(inText) || evidence.status === '') ? inText : evidence.status || inText;
  const said = { address: evidence.address, status, reply_code: replyCodeInText(text), text };
  return { ...said, text: text.replace(/\s+/g, ' ').trim(), ...decide(evidence, said) };
}

type Said = Pick<ReportedRecipient, 'status' | 'reply_code' | 'text'>;
type Decision = Pick<ReportedRecipient, 'class' | 'because' | 'doubt'>;

const SUCCEEDED: ReadonlySet<string> = new Set(['delivered', 'relayed', 'expanded']);

function decide(evidence: RecipientEvidence, said: Said): Decision {
  const { action } = evidence;
  if (SUCCEEDED.has(action) && !said.status.startsWith('5'))
    return { class: 'success', because: `Action: ${action} (RFC 3464 2.3.3)` };
  if (action === '' && said.status.startsWith('2'))
    return { class: 'success', because: `no Action; status ${said.status}` };
  return waits(evidence, said) ?? fail(evidence, said);
}

/**
 * Why this is a delay; nothing when the server has given up. Its own last word outweighs what the report says around
 * it.
 */
function waits({ action, notes }: RecipientEvidence, said: Said): Decision | undefined {
  const words = `${said.text}\n${notes}`;
  const trying = WILL_TRY.exec(words)?.[0];
  const gaveUp = GAVE_UP.test(words);
  if (action === 'delayed') {
    if (GAVE_UP.test(said.text) && !WILL_TRY.test(said.text)) return undefined;
    const final = gaveUp || (said.status.startsWith('5') && !said.reply_code.startsWith('4'));
    if (final && trying === undefined) return undefined;
    return { class: 'delay', because: 'Action: delayed (RFC 3464 2.3.3) is not a bounce' };
  }
  if (trying === undefined || gaveUp || said.status.startsWith('5') || said.reply_code.startsWith('5'))
    return undefined;
  return { class: 'delay', because: `the text says “${trying}”: not given up yet` };
}

const END_OF_DATA = /\bend of data\b|\bafter data\b|\bend of message\b|\bDATA[ -]?(stage|phase)\b/i;

function fail({ action, diagnostic, notes, shared }: RecipientEvidence, said: Said): Decision {
  const late = action === 'delayed' ? 'marked as delayed, but given up; ' : '';
  const ofMessage = shared && END_OF_DATA.test(said.text);
  const decision = classifyBounce({ ...said, replyCode: said.reply_code, ofMessage });
  if (!decision.doubt || diagnostic === '' || notes === '') return { ...decision, because: late + decision.because };
  // The reason may stand in the part for people alone.
  const again = classifyBounce({
    status: statusInText(notes),
    replyCode: said.reply_code || replyCodeInText(notes),
    text: notes,
    ofMessage,
  });
  return { ...again, because: late + (again.doubt ? decision.because : `part for people: ${again.because}`) };
}
