import { relay } from '../../../shared/contract/relay.ts';
import { handlers } from '../route.ts';
import { sendTest } from '../../../operations/relay/send-test.ts';

/** The relay that messages are handed to. */
export const relayRoutes = handlers(relay, {
  checkRelay: ({ relay }) => relay.check(),
  sendTest: ({ deps, relay, body, who }) => sendTest(deps, relay, body, who.name),
});
