/** Limits on what is read of a returned message. Whatever lies beyond is left unread; nothing beyond is an error. */

/** The whole message. Larger returns are cut here: what a report says stands in its first parts. */
export const MAX_MESSAGE_BYTES = 4 * 1024 * 1024;
/** Nesting of MIME parts; real reports have 3. */
export const MAX_DEPTH = 8;
/** Parts of one message; real reports have 3 to 5. */
export const MAX_PARTS = 64;
/** Header block of one part, in characters. */
export const MAX_HEADER_CHARACTERS = 256 * 1024;
/** Recipients read from one report. */
export const MAX_RECIPIENTS = 1000;
/** Characters of a diagnostic or text that are looked at and kept. */
export const MAX_TEXT_CHARACTERS = 2000;
/** Characters of the part for people that are searched for recipients and reasons; real ones have some thousand. */
export const MAX_BODY_CHARACTERS = 64 * 1024;
