import type { Context } from 'hono';
import { HTTPException } from 'hono/http-exception';

/**
 * A form that a stranger sends. Of a field that stands in it several times the last counts.
 * @throws HTTPException 400 for what is no form
 */
export function readForm(c: Context): Promise<Record<string, string | File>> {
  return c.req.parseBody().catch(refuseForm);
}

/** The same, where a field may stand several times: then it is a list of all that was sent. */
export function readFormOfMany(c: Context): Promise<Record<string, string | File | (string | File)[]>> {
  return c.req.parseBody({ all: true }).catch(refuseForm);
}

function refuseForm(): never {
  throw new HTTPException(400, { message: 'This is not a form.' });
}
