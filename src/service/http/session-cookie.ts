import type { CookieOptions } from 'hono/utils/cookie';
import { SESSION_DAYS } from '../../operations/accounts/sign-in.ts';
import type { Doors } from './doors.ts';

export interface SessionCookie {
  name: string;
  options: CookieOptions;
}

/**
 * The cookie of a session. Where the console is reached by TLS it is sent by nothing else, and by its name
 * (RFC 6265bis 4.1.3) a browser takes it from this host alone.
 */
export function sessionCookie({ consoleUrl }: Pick<Doors, 'consoleUrl'>): SessionCookie {
  const secure = consoleUrl.startsWith('https:');
  const options: CookieOptions = {
    httpOnly: true,
    sameSite: 'Strict',
    path: '/',
    secure,
    maxAge: SESSION_DAYS * 86_400,
  };
  return { name: secure ? '__Host-avendel_session' : 'avendel_session', options };
}
