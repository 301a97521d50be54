import { makeActorCalls } from './actor-calls.ts';
import { makeCalls, type ClientOptions } from './calls.ts';
import { makeCampaignCalls } from './campaign-calls.ts';
import { makeContactCalls } from './contact-calls.ts';
import { makeIntakeCalls } from './intake-calls.ts';
import { makeReturnCalls } from './return-calls.ts';
import { makeRuleCalls } from './rule-calls.ts';
import { makeSegmentCalls } from './segment-calls.ts';
import { makeSessionCalls } from './session-calls.ts';

/** The service as typed calls; every call answers the parsed body or throws a Refusal. */
export function makeClient(options: ClientOptions) {
  const calls = makeCalls(options);
  return {
    ...makeSessionCalls(calls),
    ...makeIntakeCalls(calls),
    ...makeContactCalls(calls),
    ...makeCampaignCalls(calls),
    ...makeReturnCalls(calls),
    ...makeActorCalls(calls),
    ...makeRuleCalls(calls),
    ...makeSegmentCalls(calls),
  };
}

export type Client = ReturnType<typeof makeClient>;
