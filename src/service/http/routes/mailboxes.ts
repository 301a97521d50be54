import { LEAVE_ALL, mailboxes } from '../../../shared/contract/mailboxes.ts';
import { handlers } from '../route.ts';
import {
  keepMailbox,
  listShownMailboxes,
  lookIntoMailbox,
  pauseMailbox,
  removeMailbox,
} from '../../../operations/returns/mailboxes.ts';

/** Mailboxes that returns are fetched from. */
export const mailboxesRoutes = handlers(mailboxes, {
  mailboxes: ({ deps }) => listShownMailboxes(deps),
  keepMailbox: ({ deps, body }) => keepMailbox(deps, { ...body, afterwards: { ...LEAVE_ALL, ...body.afterwards } }),
  pauseMailbox: ({ deps, params, body }) => pauseMailbox(deps, params.id, body.paused),
  lookIntoMailbox: ({ deps, params }) => lookIntoMailbox(deps, params.id),
  removeMailbox: ({ deps, params }) => removeMailbox(deps, params.id),
});
