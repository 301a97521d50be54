import { randomUUID } from 'node:crypto';
import { nextTry, speaksOfRate, type Outcome } from '../../core/sending/pace.ts';
import { domainOf } from '../../core/address/domain-of.ts';
import { isOpen, nextChange } from '../../core/sending/send-window.ts';
import { attributeText } from '../../core/import/attribute-value.ts';
import {
  compileMessage,
  standardFields,
  writeMessage,
  type CompiledMessage,
  type SenderIdentity,
} from '../../core/message/compile-message.ts';
import {
  classifyBounce,
  replyCodeInText,
  statusInText,
  type BounceDecision,
} from '../../core/returns/classify-bounce.ts';
import type { DkimSigner } from '../../core/message/dkim.ts';
import { byIndexAlone, inRetriedTransaction, inTransaction } from '../../store/database.ts';
import type { Campaign } from '../../store/entities/campaign.ts';
import { BY_ITSELF, moveCampaign, setTrouble } from '../../store/statements/campaigns.ts';
import {
  claimDeliveries,
  findWaiting,
  holdBackLeftOut,
  passGate,
  recordHandovers,
  settleClaims,
  type ClaimedDelivery,
  type HandoverResult,
} from '../../store/statements/deliveries.ts';
import { holdMailed } from '../../store/statements/mailed.ts';
import { hasCapOfAllBrands } from '../../store/statements/caps.ts';
import { findLeftOutAmong } from '../../store/statements/conditions.ts';
import { exclusionsStand, keepExclusions } from '../../store/statements/exclusions.ts';
import { listWatched } from '../../store/statements/pace.ts';
import type { JudgedMessage } from '../../store/statements/eligibility.ts';
import type { Deps } from '../deps.ts';
import { ensureMonths, OWN_SOURCE, recordEventsWithin, type IncomingEvent } from '../events/record-events.ts';
import { findZone } from '../organisation/zones.ts';
import { Problem } from '../problem.ts';
import { callBackFromSends } from '../marks/call-back.ts';
import { claimAtPace } from '../paces/claim-at-pace.ts';
import { claimAtRelayRate } from '../paces/claim-at-relay-rate.ts';
import { observeAttempts, saysSomething } from '../paces/observe-attempts.ts';
import { getCampaign } from './edit-campaign.ts';
import { findSender } from './find-sender.ts';
import { inTheEnd, makeAnswerRecorder, type Answer } from './record-answers.ts';
import { queueRecipients } from './queue-recipients.ts';
import { judgedMessage } from './judged-message.ts';
import { conditionsOf, findLeavesOut, namesOf } from './leaving-out.ts';
import { findSigners } from '../relay/dkim.ts';
import type { Handover, Relay } from '../relay/relay.ts';

/** Recipients claimed in one statement. */
const CLAIM_SIZE = 500;
/** So long one campaign claims recipients before others have their turn, however fast the relay is. */
const TURN_MS = 5000;

export interface SendSettings {
  /** Wait before a put-off recipient is tried again; doubles with each attempt. */
  retrySeconds: number;
  /** Whether to come to an end: who has not passed the second gate goes back to waiting. */
  stopping: () => boolean;
}

interface Sending {
  deps: Deps;
  relay: Relay;
  settings: SendSettings;
  campaign: Campaign;
  /** With what leaves people out, as it was when the latest were claimed. */
  message: JudgedMessage;
  /** Whether a cap of all brands was in effect then. */
  acrossBrands: boolean;
  compiled: CompiledMessage;
  signWith: DkimSigner[];
  sender: SenderIdentity;
  /** When its send window closes, in milliseconds since the epoch. */
  closesAt: number;
  /** Receiving domains at which every attempt is taken in: something was put off there lately. */
  watched: ReadonlySet<string>;
  /** How many are on their way at once is limited: there may be room for more as soon as those have gone. */
  fewAtOnce: boolean;
  /** Every claim of this pass has a number of its own. */
  claimIds: string[];
  /** Under which the process claims; nothing while it is not known to live: then it claims nobody. */
  processId: () => string | undefined;
}

const NO_FIELDS: ReadonlySet<string> = new Set();

/** What a pass over a campaign found: go on at once, come back later, or be done with it. */
export type SendPass = 'more' | 'waiting' | 'trouble' | 'ended';

/**
 * Hands some claims of recipients to the relay: claimed by the first gate, passed by the second a few at a time right
 * before they go, recorded as the relay answers. Any number of processes may do this for the same campaign.
 */
export async function sendPass(
  deps: Deps,
  relay: Relay,
  settings: SendSettings,
  processId: () => string | undefined,
  campaignId: number,
): Promise<SendPass> {
  const campaign = await getCampaign(deps, campaignId);
  if (campaign.state !== 'sending') return 'ended';
  const pause = (because: string): Promise<boolean> =>
    moveCampaign(deps.database, campaignId, ['sending'], 'paused', because, BY_ITSELF);
  const sending = await prepare(deps, relay, settings, campaign, processId).catch(async (error: unknown) => {
    if (!(error instanceof Problem)) throw error;
    await pause(`it cannot be signed: ${error.detail}`);
  });
  if (!sending) return 'ended';
  let passed: Awaited<ReturnType<typeof handOverClaims>>;
  try {
    passed = await handOverClaims(sending);
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    await pause(`whom it leaves out cannot be worked out: ${error.detail}`);
    return 'ended';
  } finally {
    await inTheEnd(() => inTransaction(deps.database, (sql) => settleClaims(sql, campaignId, sending.claimIds)));
  }
  if (passed.picked > 0) await setTrouble(deps.database, campaignId, passed.trouble);
  if (passed.trouble !== null) return 'trouble';
  const isDry = passed.dry && !(sending.fewAtOnce && passed.picked > 0);
  return isDry ? finishIfDone(deps, campaign) : 'more';
}

/**
 * The first gate: those who are eligible, and whom nothing leaves out by now. What leaves people out is read afresh
 * each time, and does not change until they are claimed.
 */
async function claimNext(sending: Sending): Promise<{ claimed: ClaimedDelivery[]; picked: number }> {
  const { deps, campaign, claimIds } = sending;
  const owner = sending.processId();
  if (owner === undefined) return { claimed: [], picked: 0 };
  for (;;) {
    const stand = await exclusionsStand(deps.database);
    const leavesOut = await findLeavesOut(deps, campaign);
    sending.message = judgedMessage(campaign, leavesOut);
    sending.acrossBrands = await hasCapOfAllBrands(deps.database);
    const claimId = randomUUID();
    const found = await inTransaction(deps.database, async (sql) => {
      if ((await keepExclusions(sql)) !== stand) return undefined;
      claimIds.push(claimId);
      const names = namesOf(leavesOut);
      const { claimed, picked, open, fewAtOnce } = await claimAtRelayRate(sql, sending.relay, CLAIM_SIZE, (most) =>
        claimAtPace(sql, campaign.id, most, (limit, rooms) =>
          claimDeliveries(sql, sending.message, claimId, owner, limit, names, rooms),
        ),
      );
      sending.fewAtOnce = fewAtOnce;
      const leftOut = open.length === 0 ? NOBODY : await findLeftOutAmong(sql, conditionsOf(leavesOut), open);
      const heldBack = [...leftOut].map(([contactId, by]) => ({ contactId, by: names[by - 1]! }));
      if (heldBack.length > 0) await holdBackLeftOut(sql, campaign.id, heldBack);
      return { claimed: claimed.filter((one) => !leftOut.has(one.contactId)), picked };
    });
    if (found) {
      sending.watched = new Set(await listWatched(deps.database, campaign.id));
      return found;
    }
  }
}

const NOBODY: ReadonlyMap<number, number> = new Map();

async function prepare(
  deps: Deps,
  relay: Relay,
  settings: SendSettings,
  campaign: Campaign,
  processId: () => string | undefined,
): Promise<Sending> {
  // Its fields were checked when it was started; whatever a contact does not have is written as its fallback.
  const { message: compiled } = compileMessage(campaign, NO_FIELDS);
  return {
    deps,
    relay,
    settings,
    campaign,
    message: judgedMessage(campaign, []),
    acrossBrands: false,
    watched: new Set(),
    fewAtOnce: false,
    compiled,
    signWith: await findSigners(deps, campaign.brandId),
    sender: await findSender(deps, campaign),
    closesAt: await findClosing(deps, campaign),
    claimIds: [],
    processId,
  };
}

/** When the send window of a campaign closes; an instant that is past while it is closed. */
async function findClosing(deps: Deps, { brandId, sendWindow }: Campaign): Promise<number> {
  if (!sendWindow) return Infinity;
  const [zone, now] = [await findZone(deps.database, brandId), deps.now().getTime()];
  return isOpen(sendWindow, now, zone) ? nextChange(sendWindow, now, zone) : now;
}

async function finishIfDone(deps: Deps, campaign: Campaign): Promise<SendPass> {
  const { waiting, later, claimed, stopped } = await findWaiting(deps.database, campaign.id);
  // Whether it rests until its next wave, or waits for a person, is for moveOn to say.
  if (waiting || later || claimed || stopped) return 'waiting';
  await moveCampaign(deps.database, campaign.id, ['sending'], 'finished', null, BY_ITSELF);
  return 'ended';
}

/**
 * Recipients that are past the second gate without their answer recorded, at most: on their way, just answered, and the
 * next group. A power cut leaves so many uncertain.
 */
export function mostUnrecorded(connections: number): number {
  return connections * 8;
}

/**
 * Hands recipients to the relay, as many at once as it has connections, until nobody is left, it is in trouble, or the
 * turn is over. Says how many were picked, whether nobody was left to pick, and the relay's trouble, if it had any.
 */
async function handOverClaims(sending: Sending): Promise<{ picked: number; dry: boolean; trouble: string | null }> {
  const { relay, settings, deps } = sending;
  const recorder = makeAnswerRecorder(mostUnrecorded(relay.connections), (answers) => record(sending, answers));
  const groupSize = relay.connections * 2;
  const turnEnds = deps.now().getTime() + TURN_MS;
  let trouble: string | null = null;
  const recipients = queueRecipients({
    groupSize,
    claim: () => claimNext(sending),
    room: () => recorder.room(groupSize),
    async pass(group) {
      const passed = await passGate(deps.database, sending.message, group, sending.acrossBrands);
      recorder.expect(passed.length);
      return passed;
    },
    mayClaim: () => deps.now().getTime() < turnEnds,
    goesOn: () => trouble === null && !settings.stopping() && deps.now().getTime() < sending.closesAt,
  });
  const lane = async (): Promise<void> => {
    for (let one = await recipients.next(); one; one = await recipients.next()) {
      // Whoever has passed the gate when the relay is in trouble goes back untried.
      const handover = trouble === null ? await relay.handOver(write(sending, one), sending.signWith) : NOT_TRIED;
      if ('trouble' in handover && handover.trouble) trouble ??= handover.reply;
      recorder.add({ one, handover, at: deps.now().getTime() });
    }
  };
  const lanes = await Promise.allSettled(Array.from({ length: relay.connections }, lane));
  await recorder.done();
  for (const ended of lanes) if (ended.status === 'rejected') throw ended.reason;
  return { picked: recipients.picked(), dry: recipients.isDry(), trouble };
}

const NOT_TRIED: Handover = { outcome: 'again', reply: 'not tried: the relay was in trouble', trouble: true };

function write({ compiled, sender, deps, campaign }: Sending, one: ClaimedDelivery): ReturnType<typeof writeMessage> {
  const fields = { ...stringFields(one.attributes), ...standardFields(one.address, one.name) };
  return writeMessage(
    compiled,
    { contactId: one.contactId, campaignId: campaign.id, address: one.address, fields },
    sender,
    deps.tokens,
  );
}

/** Attributes as the texts that merge fields write. */
export function stringFields(attributes: Record<string, unknown>): Record<string, string> {
  return Object.fromEntries(Object.entries(attributes).map(([key, value]) => [key, attributeText(value)]));
}

async function record(sending: Sending, answers: Answer[]): Promise<void> {
  const { deps, campaign } = sending;
  const results = answers.map((answer) => resultOf(sending, answer));
  const events = results.flatMap((result) => eventsOf(campaign, result));
  const notLeft = results
    .filter(({ outcome }) => outcome !== 'accepted')
    .map(({ contactId }) => ({ campaignId: campaign.id, contactId }));
  await ensureMonths(deps, answers);
  const affected = await inRetriedTransaction(deps.database, async (sql) => {
    await holdMailed(sql, notLeft);
    const recorded = await recordEventsWithin(deps, sql, events);
    await byIndexAlone(sql, () => recordHandovers(sql, campaign.id, results));
    return recorded.affected;
  });
  await callBackFromSends(deps, affected);
  await observe(sending, answers, results);
}

/** Takes the attempts in that say something of their domain, or that are at one that is watched. */
async function observe(
  { deps, campaign, watched }: Sending,
  answers: Answer[],
  results: HandoverResult[],
): Promise<void> {
  const attempts = results.flatMap((result, index) => {
    const outcome = attemptOutcome(result);
    return outcome ? [{ at: result.at, outcome, domain: domainOf(answers[index]!.one.address) }] : [];
  });
  const telling = new Set(attempts.filter(saysSomething).map(({ domain }) => domain));
  await observeAttempts(
    deps,
    campaign.id,
    attempts.filter(({ domain }) => telling.has(domain) || watched.has(domain)),
  );
}

/** What an attempt says of its domain; nothing where its server was not asked, or nobody knows. */
function attemptOutcome({ outcome, untried, reply }: HandoverResult): Outcome | undefined {
  if (untried || outcome === 'uncertain') return undefined;
  if (outcome === 'again') return 'put-off';
  if (outcome === 'accepted') return 'went';
  if (replyCodeInText(reply).startsWith('4')) return 'put-off';
  const isBlock = outcome === 'refused' && decisionOn(reply).class === 'block';
  return isBlock && speaksOfRate(reply) ? 'blocked' : 'went';
}

function resultOf({ settings, relay }: Sending, { one, handover, at }: Answer): HandoverResult {
  const base = {
    contactId: one.contactId,
    claimId: one.claimId,
    reply: handover.reply,
    at,
    waitSeconds: 0,
    untried: false,
    relayId: relay.id ?? null,
  };
  if (handover.outcome !== 'again') return { ...base, outcome: handover.outcome };
  // Trouble of the relay says nothing of the recipient, and uses up none of their tries.
  if (handover.trouble) return { ...base, outcome: 'again', untried: true };
  const waitSeconds = nextTry(one.firstTriedAt?.getTime() ?? at, at, one.attempts, settings.retrySeconds);
  return waitSeconds === undefined ? { ...base, outcome: 'refused' } : { ...base, outcome: 'again', waitSeconds };
}

function eventsOf(campaign: Campaign, result: HandoverResult): IncomingEvent[] {
  const base = {
    at: result.at,
    source: OWN_SOURCE,
    contactId: result.contactId,
    brandId: campaign.brandId,
    campaignId: campaign.id,
  };
  const externalId = `${campaign.id}:${result.contactId}`;
  if (result.outcome === 'accepted')
    return [{ ...base, kind: 'sent', externalId: `sent:${externalId}`, detail: { reply: result.reply } }];
  if (result.outcome !== 'refused') return [];
  const decision = decisionOn(result.reply);
  return [
    {
      ...base,
      kind: 'bounced',
      externalId: `refused:${externalId}`,
      detail: {
        class: decision.class,
        status: statusInText(result.reply),
        reply: result.reply,
        because: decision.because,
        way: 'relay',
      },
    },
  ];
}

const decisionOn = (reply: string): BounceDecision =>
  classifyBounce({ status: statusInText(reply), replyCode: replyCodeInText(reply), text: reply });
