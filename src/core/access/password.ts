import { dictionary } from '@zxcvbn-ts/language-common';

/** Letters that a password has at least (NIST SP 800-63B asks for 8, OWASP ASVS 2.1.1 for 12), and at most. */
export const SHORTEST_PASSWORD = 12;
export const LONGEST_PASSWORD = 200;
/** So many of the most common passwords are refused, in whatever case they are written. */
const MOST_COMMON = 10_000;

const COMMON = new Set((dictionary['passwords-common'] as readonly string[]).slice(0, MOST_COMMON).map(plain));

/** As it is compared: one text for what looks the same, in lower case. */
function plain(password: string): string {
  return password.normalize('NFKC').toLowerCase();
}

/** The shortest piece that a text is made of by repetition: `abcabcabc` is `abc`. */
function repeated(text: string): string {
  // The text within two of it, where it begins anew.
  return text.slice(0, (text + text).indexOf(text, 1));
}

/** Why a password cannot be taken; nothing when it can. Any characters may stand in it, and none has to. */
export function passwordProblem(password: string, of: { email: string; name: string }): string | undefined {
  const letters = [...password].length;
  if (letters < SHORTEST_PASSWORD)
    return `A password has ${SHORTEST_PASSWORD} characters at least; this one has ${letters}.`;
  if (letters > LONGEST_PASSWORD)
    return `A password has ${LONGEST_PASSWORD} characters at most; this one has ${letters}.`;
  const given = plain(password);
  const bare = given.replace(/[\d\W_]+$/u, '');
  if ([given, repeated(given), bare, repeated(bare)].some((one) => one !== '' && COMMON.has(one)))
    return 'This is one of the passwords that are tried first: a common one, or one made longer by repetition or by figures.';
  if (new Set(given).size < 4) return 'This password is made of fewer than four different characters.';
  if ([of.email, of.email.split('@')[0]!, of.name].some((own) => own.length > 3 && bare === plain(own)))
    return 'This password is your own name or address.';
  return undefined;
}
