import { escapeHtml } from './merge-fields.ts';
import { nameForMessage, type SenderIdentity, type WrittenMessage } from './compile-message.ts';

export interface Confirmation {
  to: string;
  name: string | null;
  listName: string;
  /** Leads to a page with a button; the link alone confirms nothing, since machines follow links. */
  url: string;
  /** The text that was agreed to, or nothing. */
  agreed: string;
  reminder: boolean;
  messageId: string;
  envelopeFrom: string;
}

/**
 * The message that asks someone to confirm that they signed up. A service message: it says who asks, why, and what
 * happens if they do nothing.
 */
export function writeConfirmation(sender: SenderIdentity, one: Confirmation): WrittenMessage {
  const [first] = nameForMessage(one.name).split(/\s+/);
  const greeting = first ? `Dear ${first},` : 'Hello,';
  const asked = `somebody, we hope you, signed this address up for ${one.listName} of ${sender.brandName}.`;
  const nothing = 'If it was not you, do nothing: you will hear no more of it.';
  const agreed = one.agreed === '' ? '' : `What was agreed to: “${one.agreed}”`;
  const paragraphs = [greeting, asked, `Confirm that it was you: ${one.url}`, ...(agreed ? [agreed] : []), nothing];
  const html = [
    `<p>${escapeHtml(greeting)}</p><p>${escapeHtml(asked)}</p>`,
    `<p><a href="${escapeHtml(one.url)}" style="display:inline-block;padding:12px 20px;border-radius:6px;background:#1B5A49;color:#FFFDF9;text-decoration:none">Confirm that it was me</a></p>`,
    agreed ? `<p>${escapeHtml(agreed)}</p>` : '',
    `<p>${escapeHtml(nothing)}</p>`,
  ].join('');
  return {
    envelopeFrom: one.envelopeFrom,
    to: one.to,
    from: { name: sender.brandName, address: sender.fromAddress },
    subject: `${one.reminder ? 'Still waiting: please' : 'Please'} confirm ${one.listName}`,
    html,
    text: `${paragraphs.join('\n\n')}\n`,
    messageId: one.messageId,
    // RFC 3834 section 5: no robot shall answer it.
    headers: { 'Auto-Submitted': 'auto-generated' },
  };
}
