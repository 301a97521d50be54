/**
 * Limits on what is read of a returned message, so that no message can take more than a fraction of a second. Whatever
 * lies beyond is left unread; nothing beyond is an error.
 */

/** The whole message. Larger returns are cut here: what a report says stands in its first parts. */
export const MAX_MESSAGE_BYTES = 4 * 1024 * 1024;
/** Nesting of MIME parts; real reports have 3. */
export const MAX_DEPTH = 8;
/** Parts of one message; real reports have 3 to 5. */
export const MAX_PARTS = 64;
/** Header block of one part, in characters. */
export const MAX_HEADER_CHARACTERS = 256 * 1024;
/** Fields of one header block; real ones have some dozen. */
export const MAX_FIELDS = 1000;
/** Characters of one field's value. */
export const MAX_FIELD_CHARACTERS = 16 * 1024;
/** Characters of a value whose encoded words are decoded; a subject has some hundred. */
export const MAX_WORDS_CHARACTERS = 2000;
/** One part, in characters of its encoding: a report on a thousand recipients has a third of this. */
export const MAX_PART_CHARACTERS = 1024 * 1024;
/** Recipients read from one report. */
export const MAX_RECIPIENTS = 1000;
/** Characters of a diagnostic or text that are looked at and kept. */
export const MAX_TEXT_CHARACTERS = 2000;
/** The same of all recipients of a report together, so that those of many are shorter; but never below this of one. */
export const MAX_TEXTS_CHARACTERS = 200_000;
export const MIN_TEXT_CHARACTERS = 200;
/** Characters of the part for people that are searched for recipients and reasons; real ones have some thousand. */
export const MAX_BODY_CHARACTERS = 64 * 1024;
/** Characters of a text that are searched for the beginning of the message that came back. */
export const MAX_SEARCHED_CHARACTERS = 256 * 1024;
