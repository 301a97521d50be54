/** What is said to a person about each outcome of an imported row; keys are the codes of the result file. */
export const ROW_WORDS: Readonly<Record<string, string>> = {
  created: 'New contact, subscribed to the list.',
  updated: 'Known contact: name, attributes or subscription were added.',
  unchanged: 'Known contact, already on the list; nothing to change.',
  suppressed: 'Kept as a contact and not subscribed: the address is suppressed.',
  'suppressed:unsubscribed': 'Not subscribed: the contact left this list, and an import cannot bring them back.',
  duplicate: 'The same address stands in an earlier row of this file.',
  'refused:empty': 'There is no address in this row.',
  'refused:too-long': 'The address is longer than mail allows.',
  'refused:no-at-sign': 'This is not an address: it needs a name, an @ and a domain.',
  'refused:bad-local-part': 'What stands before the @ is not a mailbox name that can exist.',
  'refused:bad-domain': 'What stands after the @ is not a domain that can exist.',
  'refused:control-character': 'The address holds invisible characters.',
  'refused:column-count': 'The row does not have as many columns as the header.',
  'refused:unreadable-row': 'The row cannot be read as CSV: look at its quotation marks.',
  'refused:erased': 'This person was erased at their request and cannot come back by an import.',
  'refused:bad-date': 'The date cannot be read; write it as 2026-11-23.',
};
