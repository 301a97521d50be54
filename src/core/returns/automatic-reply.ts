// RFC 3834: Recommendations for Automatic Responses to Electronic Mail; challenges and receipts beside it.
import { field, type Fields } from './mime-parts.ts';

/** Whether a message says of itself that no person wrote it, and by which field. */
export function findAutomaticReply(fields: Fields): string | undefined {
  const submitted = field(fields, 'auto-submitted').toLowerCase();
  if (submitted !== '' && !submitted.startsWith('no')) return `Auto-Submitted: ${submitted.slice(0, 60)} (RFC 3834 5)`;
  if (/^(auto_reply|bulk|junk)$/i.test(field(fields, 'precedence')))
    return `Precedence: ${field(fields, 'precedence')}`;
  for (const name of ['x-autoreply', 'x-autorespond', 'x-auto-response-suppress']) {
    if (fields.has(name)) return `field ${name}`;
  }
  const subject = /^(out of (the )?office|automatic reply|auto(matic)?[ -]?reply|away from|on holiday|vacation)/i.exec(
    field(fields, 'subject'),
  );
  return subject ? `subject begins “${subject[0]}”` : undefined;
}

/** Whether a message asks the sender to prove that they are a person. */
export function findChallenge(fields: Fields): string | undefined {
  const words =
    /\b(confirm (that )?you(r message| are)|verify (your )?(address|sender)|sender verification|challenge.response)\b/i.exec(
      field(fields, 'subject'),
    );
  return words ? `subject says “${words[0]}”` : undefined;
}
