import { messages } from '../../../shared/contract/messages.ts';
import { checkTyped } from '../../../operations/messages/check-typed.ts';
import { previewMessage, previewTyped } from '../../../operations/messages/preview-message.ts';
import { sendTests } from '../../../operations/messages/send-tests.ts';
import { handlers } from '../route.ts';

/** Messages before they are sent: seen, checked, tried. */
export const messagesRoutes = handlers(messages, {
  preview: ({ deps, params, query }) => previewMessage(deps, params.id, query.address),
  previewTyped: ({ deps, body: { address, ...typed } }) => previewTyped(deps, typed, address),
  checkTyped: ({ deps, body }) => checkTyped(deps, body),
  sendTests: ({ deps, relays, body: { to, address, ...typed }, who }) =>
    sendTests(deps, relays.asOne(typed.brandId), typed, { to, address, by: who.name }),
});
