import { relay } from '../../../shared/contract/relay.ts';
import { handlers } from '../route.ts';
import {
  addRelay,
  changeRelay,
  forgetRelay,
  lookAtRelays,
  lookAtRelaysOf,
  sendThrough,
} from '../../../operations/relay/keep-relays.ts';
import { sendTest } from '../../../operations/relay/send-test.ts';

/** The relays that messages are handed to. */
export const relayRoutes = handlers(relay, {
  relays: ({ deps }) => lookAtRelays(deps),
  addRelay: ({ deps, body, who }) => addRelay(deps, body, who.name),
  changeRelay: ({ deps, params, body, who }) => changeRelay(deps, params.id, body, who.name),
  removeRelay: ({ deps, params }) => forgetRelay(deps, params.id),
  relaysOfBrand: ({ deps, params }) => lookAtRelaysOf(deps, params.id),
  sendThrough: ({ deps, params, body }) => sendThrough(deps, params.id, body.relayIds),
  checkRelay: ({ relays, body }) => relays.check(body.relayId ?? null),
  sendTest: ({ deps, relays, body, who }) => sendTest(deps, relays.asOne(body.brandId), body, who.name),
});
