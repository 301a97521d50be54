import { overFewRows, type Database } from '../database.ts';
import { execute, rowsOf, type Sql } from '../sql.ts';
import { queryPrepared } from '../prepared.ts';
import { cappedBySql, countedBy } from './capped.ts';
import { holdForAllBrands, recountMailed, STILL_CLAIMED, TAKE_PLACES, type Message } from './mailed.ts';
import { countedUnderSql, dayOf } from './tallies.ts';
import { STOPPED } from './pace.ts';
import { livingProcessSql } from './processes.ts';
import {
  baseAddressSql,
  findWhatApplies,
  JUDGE_PICKED_CTES,
  judgeAudienceCtes,
  messageParameters,
  REASONS_SQL,
  waveSql,
  type JudgedMessage,
} from './eligibility.ts';

/**
 * Whoever is capped by a message whose answer is still out waits for it, if nothing else holds them back: over a
 * verdict.
 */
const ON_THEIR_WAY = `on_their_way AS MATERIALIZED (SELECT contact_id FROM delivery WHERE state = 'claimed' AND handed_at IS NOT NULL)`;
const AWAITS_ANSWER = `(v.reasons = '{capped}' AND v.contact_id IN (SELECT contact_id FROM on_their_way))`;
/** So long somebody waits before they are looked at again. */
const WAIT = `interval '60 seconds'`;

/**
 * Writes the campaign's ledger: one row a contact of the audience, queued or held back with its reasons, and with what
 * caps them or leaves them out (`leftOutBy`: the names of what leaves out, in order). Run twice, it adds nothing.
 */
export async function openLedger(sql: Sql, message: JudgedMessage, leftOutBy: string[]): Promise<void> {
  const { join, wave } = waveSql(message.waves);
  await execute(
    sql,
    `WITH ${judgeAudienceCtes(message, await findWhatApplies(sql, message))}, ${ON_THEIR_WAY},
     v AS (SELECT j.contact_id, j.address, j.list_ids, j.by_segment, j.left_out_by, ${wave} AS wave, ${REASONS_SQL} AS reasons FROM judged j ${join}),
     verdict AS (SELECT v.*, v.reasons = '{}' OR ${AWAITS_ANSWER} AS waits FROM v)
     INSERT INTO delivery (campaign_id, contact_id, address, list_ids, by_segment, wave, state, reasons, held_back_at, not_before, left_out_by, capped_by)
     SELECT $1::int, contact_id, address, list_ids, by_segment, wave,
            CASE WHEN waits THEN 'queued' ELSE 'held-back' END, CASE WHEN waits THEN '{}' ELSE reasons END, CASE WHEN NOT waits THEN now() END,
            CASE WHEN waits AND reasons <> '{}' THEN now() + ${WAIT} END, ($6::text[])[left_out_by], CASE WHEN NOT waits AND 'capped' = ANY (reasons) THEN ${cappedBySql('contact_id')} END
     FROM verdict ORDER BY contact_id
     ON CONFLICT (campaign_id, contact_id) DO NOTHING`,
    [...messageParameters(message), leftOutBy],
  );
}

/**
 * The verdicts, with the campaign as a column of theirs: so deliveries are found by both parts of their key. Given as a
 * parameter, the campaign of a ledger that was just opened is unknown to the planner, which expects one row of it and
 * goes through all of it for each verdict: a claim took 1.4 s where it takes 0.03.
 */
const VERDICT = `verdict AS MATERIALIZED (SELECT $1::int AS campaign_id, j.contact_id, j.address, j.list_ids, j.left_out_by, ${REASONS_SQL} AS reasons FROM judged j)`;

/** What a message is counted under is fixed when it is claimed, and the day of sending when it is handed over. */
const COUNTED_UNDER = countedUnderSql({
  contact: 'v.contact_id',
  address: 'v.address',
  lists: 'v.list_ids',
  brand: '$2::int',
});

export interface ClaimedDelivery {
  contactId: number;
  address: string;
  name: string | null;
  attributes: Record<string, unknown>;
  /** Attempts before this one. */
  attempts: number;
  /** When their own server was first asked; null: never yet. */
  firstTriedAt: Date | null;
  /** The claim by which it was taken: who is called back and claimed again is of another. */
  claimId: string;
}

/** How many of those who wait apart may be let in. */
export interface Room {
  /** Those of this receiving domain, or, as `''`, those who waited for their time alone. */
  domain: string;
  room: number;
  /** Nobody else of the domain is claimed: they are parked. */
  limited: boolean;
}

/** So long somebody waits at most for campaigns that come before this one. */
const YIELDS_FOR = `interval '1 hour'`;

/**
 * Who is eligible, and would be capped by the campaigns that come first and in which they wait, too: those of higher
 * priority, or of the same and started earlier. Over the verdict `v` and its delivery `d`.
 */
const RIVALS = `rival AS MATERIALIZED (
       SELECT k.id, k.brand_id, k.wave FROM campaign k JOIN campaign own ON own.id = $1::int
       WHERE k.state = 'sending' AND k.purpose = 'marketing' AND (k.priority, k.started_at, k.id) < (own.priority, own.started_at, own.id) AND EXISTS (SELECT FROM capping))`;
const YIELDS = `(v.reasons = '{}' AND EXISTS (SELECT FROM rival) AND (d.yielding_since IS NULL OR d.yielding_since > now() - ${YIELDS_FOR})
       AND EXISTS (SELECT FROM capping c WHERE c.messages <= (SELECT count(*) FROM (${countedBy('v.contact_id')}) n) + (
         SELECT count(*) FROM rival r CROSS JOIN LATERAL (
           SELECT FROM delivery o WHERE o.campaign_id = r.id AND o.contact_id = v.contact_id AND o.wave <= r.wave AND o.handed_at IS NULL AND o.state IN ('queued', 'claimed') OFFSET 0) o
         WHERE c.brand_id IS NULL OR r.brand_id = c.brand_id)))`;

/**
 * The first gate. Takes up to `limit` waiting recipients and judges each afresh in the same statement: the eligible are
 * claimed for `claimId`, the others held back with their reasons, and with what caps them or leaves them out. Whoever
 * would take a place from a campaign that comes first, and whoever is capped by a message whose answer is still out,
 * waits; whoever of a receiving domain is limited waits, too: parked, out of the way of the others, and let in as there
 * is room (`rooms`). `open` are those of whom a condition that leaves them out would decide. Only waves that have begun
 * are looked at, in order. SKIP LOCKED keeps processes off each other's rows. Uses delivery_waiting, delivery_parked.
 */
export async function claimDeliveries(
  sql: Sql,
  message: JudgedMessage,
  claimId: string,
  processId: string,
  limit: number,
  leftOutBy: string[],
  rooms: Room[],
): Promise<{ claimed: ClaimedDelivery[]; picked: number; open: number[]; parked: string[] }> {
  const rows = await rowsOf<Omit<ClaimedDelivery, 'claimId'> & { state: string; open: boolean; parked: string | null }>(
    sql,
    `WITH room AS MATERIALIZED (SELECT * FROM json_to_recordset($10::json) AS r(domain text, room int, limited boolean)),
     let_in AS MATERIALIZED (
       SELECT d.* FROM room r CROSS JOIN LATERAL (
         SELECT contact_id, by_segment, yielding_since, parked FROM delivery
         WHERE campaign_id = $1::int AND parked = r.domain AND state = 'queued' AND not_before <= now() AND EXISTS (SELECT FROM campaign WHERE id = $1::int AND state = 'sending')
         ORDER BY not_before LIMIT r.room FOR UPDATE SKIP LOCKED) d
       LIMIT $6),
     waiting AS MATERIALIZED (
       SELECT contact_id, by_segment, yielding_since, parked FROM delivery
       WHERE campaign_id = $1::int AND state = 'queued' AND parked IS NULL AND (not_before IS NULL OR not_before <= now())
         AND wave <= (SELECT wave FROM campaign WHERE id = $1::int AND state = 'sending')
       ORDER BY wave, contact_id LIMIT $6 - (SELECT count(*) FROM let_in) FOR UPDATE SKIP LOCKED),
     picked AS MATERIALIZED (SELECT * FROM let_in UNION ALL SELECT * FROM waiting),
     ${JUDGE_PICKED_CTES},
     ${VERDICT},
     ${ON_THEIR_WAY},
     ${RIVALS},
     decided AS MATERIALIZED (
       SELECT v.*, r.domain AS parks, CASE WHEN r.domain IS NOT NULL THEN 'parks' WHEN ${YIELDS} THEN 'yields' WHEN v.reasons = '{}' THEN 'claimed' WHEN ${AWAITS_ANSWER} THEN 'waits' ELSE 'held-back' END AS so
       FROM verdict v JOIN picked d USING (contact_id)
       LEFT JOIN room r ON v.reasons = '{}' AND r.limited AND r.domain = split_part(v.address, '@', 2) AND r.domain IS DISTINCT FROM d.parked),
     changed AS (
       UPDATE delivery d SET
         state = CASE WHEN v.so IN ('claimed', 'held-back') THEN v.so ELSE 'queued' END,
         reasons = CASE WHEN v.so = 'held-back' THEN v.reasons ELSE '{}' END, held_back_at = CASE WHEN v.so = 'held-back' THEN now() END,
         left_out_by = ($9::text[])[v.left_out_by], capped_by = CASE WHEN v.so = 'held-back' AND 'capped' = ANY (v.reasons) THEN ${cappedBySql('v.contact_id')} END,
         not_before = CASE WHEN v.so IN ('yields', 'waits') THEN now() + ${WAIT} WHEN v.so = 'parks' THEN now() ELSE d.not_before END,
         parked = CASE WHEN v.so IN ('yields', 'waits') THEN '' ELSE v.parks END, yielding_since = CASE WHEN v.so = 'yields' THEN coalesce(d.yielding_since, now()) ELSE d.yielding_since END,
         claim_id = CASE WHEN v.so = 'claimed' THEN $7::uuid END, process_id = CASE WHEN v.so = 'claimed' THEN $8::uuid END, address = v.address, list_ids = v.list_ids,
         domain = u.domain, source = u.source, list_id = u.list_id, stage = u.stage
       FROM decided v CROSS JOIN ${COUNTED_UNDER} u WHERE d.campaign_id = v.campaign_id AND d.contact_id = v.contact_id
       RETURNING d.contact_id, d.address, d.state, d.attempts, d.first_tried_at, d.parked, coalesce(d.reasons[1], 'capped') IN ('capped', 'duplicate') AS open)
     SELECT h.contact_id::float8 AS "contactId", h.address, h.state, h.attempts, h.first_tried_at AS "firstTriedAt", nullif(h.parked, '') AS parked, h.open, c.name, c.attributes
     FROM changed h JOIN contact c ON c.id = h.contact_id`,
    [...messageParameters(message), limit, claimId, processId, leftOutBy, JSON.stringify(rooms)],
  );
  const claimed = rows.filter((row) => row.state === 'claimed').map((row) => ({ ...row, claimId }));
  const open = rows.filter((row) => row.open).map(({ contactId }) => contactId);
  const parked = [...new Set(rows.flatMap((row) => row.parked ?? []))];
  return { claimed, picked: rows.length, open, parked };
}

/**
 * Holds back those of the `open` of a claim whom a condition leaves out by now. Part of the first gate: to be run in
 * the transaction of the claim, which has their rows.
 */
export async function holdBackLeftOut(
  sql: Sql,
  campaignId: number,
  leftOut: { contactId: number; by: string }[],
): Promise<void> {
  await execute(
    sql,
    `UPDATE delivery d SET state = 'held-back', reasons = '{left-out}'::text[] || d.reasons, held_back_at = now(), claim_id = NULL, process_id = NULL, parked = NULL, left_out_by = l.by
     FROM unnest($2::bigint[], $3::text[]) AS l (contact_id, by) WHERE d.campaign_id = $1 AND d.contact_id = l.contact_id`,
    [campaignId, leftOut.map(({ contactId }) => contactId), leftOut.map(({ by }) => by)],
  );
}

/**
 * The second gate, at the instant of handing over: of the claimed recipients, marks those that are still eligible as
 * handed over and returns them; all others go back to waiting, where the first gate holds them back with their reasons.
 * A row that was called back meanwhile (see recallClaimedDeliveries) is no longer claimed, or by another claim, and is
 * not touched: this statement may have judged it long ago, while it waited for another row. `acrossBrands` where a cap
 * of all brands is in effect: without it nobody passes whom one might hold back.
 */
export async function passGate(
  database: Database,
  message: JudgedMessage,
  claimed: Pick<ClaimedDelivery, 'contactId' | 'claimId'>[],
  acrossBrands: boolean,
): Promise<number[]> {
  const isMarketing = message.purpose === 'marketing';
  const contactIds = claimed.map(({ contactId }) => contactId);
  const values = [
    ...messageParameters(message),
    contactIds,
    claimed.map(({ claimId }) => claimId),
    ...(isMarketing ? [acrossBrands] : []),
  ];
  return overFewRows(database, async (sql) => {
    if (isMarketing && acrossBrands) await holdForAllBrands(sql, contactIds);
    const rows = await queryPrepared<{ contact_id: string; went: 'passed' | 'back' | 'called-back' }>(
      sql,
      isMarketing ? 'passGateWithPlaces' : 'passGate',
      isMarketing ? PASS_GATE_WITH_PLACES : PASS_GATE,
      values,
    );
    const whose = (wanted: string): number[] =>
      rows.filter(({ went }) => went === wanted).map((row) => Number(row.contact_id));
    // Their place was taken and their row called back in the same moment.
    await recountMailed(
      sql,
      whose('called-back').map((contactId) => ({ campaignId: message.campaignId, contactId })),
    );
    return whose('passed');
  });
}

/** Who passes: the eligible, and if they need a place, whoever has one. */
const passes = (places: string): string => (places === '' ? `v.reasons = '{}'` : 'p.contact_id IS NOT NULL');

/**
 * The verdict on a group and its rows, found one by one: of a ledger that was just opened the planner expects few rows,
 * and would go through all of it for each group. `places` is what marketing has to take before, which holds the
 * contact.
 */
const gate = (places: string): string => `WITH picked AS (
       SELECT d.* FROM unnest($6::bigint[]) AS g(contact_id) CROSS JOIN LATERAL (
         SELECT contact_id, by_segment FROM delivery WHERE campaign_id = $1::int AND contact_id = g.contact_id OFFSET 0) d),
     ${JUDGE_PICKED_CTES},
     ${VERDICT},
     ${places === '' ? '' : `placed AS (${places} RETURNING contact_id),`}
     changed AS (
  UPDATE delivery d SET
    state = CASE WHEN ${passes(places)} THEN 'claimed' ELSE 'queued' END,
    handed_at = CASE WHEN ${passes(places)} THEN now() END,
    first_tried_at = CASE WHEN ${passes(places)} THEN coalesce(d.first_tried_at, now()) ELSE d.first_tried_at END,
    day = ${dayOf('now()', '$2::int')},
    attempts = d.attempts + CASE WHEN ${passes(places)} THEN 1 ELSE 0 END
  FROM verdict v JOIN unnest($6::bigint[], $7::uuid[]) AS g(contact_id, claim_id) USING (contact_id)${places === '' ? '' : ' LEFT JOIN placed p USING (contact_id)'}
  WHERE ${STILL_CLAIMED}
    AND EXISTS (SELECT FROM campaign WHERE id = $1::int AND state = 'sending')
  RETURNING d.contact_id, CASE WHEN d.handed_at IS NOT NULL THEN 'passed' ELSE 'back' END AS went)
     SELECT contact_id, went FROM changed
     ${places === '' ? '' : `UNION ALL SELECT contact_id, 'called-back' FROM placed WHERE contact_id NOT IN (SELECT contact_id FROM changed)`}`;

const PASS_GATE = gate('');
const PASS_GATE_WITH_PLACES = gate(TAKE_PLACES);

/**
 * Calls back recipients that are claimed and not yet handed over, so that the first gate judges them again. Called in
 * the act that makes a contact ineligible, after its commit: the gate's update then finds the row changed and lets it
 * be.
 */
export async function recallClaimedDeliveries(sql: Sql, contactIds: number[] | null): Promise<void> {
  await execute(
    sql,
    `UPDATE delivery SET state = 'queued', claim_id = NULL, process_id = NULL
     WHERE state = 'claimed' AND handed_at IS NULL AND ($1::bigint[] IS NULL OR contact_id = ANY($1::bigint[]))`,
    [contactIds],
  );
}

/** A message that has passed the gate and has no answer yet. */
export interface DeliveryOnItsWay {
  campaignId: number;
  contactId: number;
  address: string;
  handedAt: Date;
}

/** Messages that are on their way to the relay at this instant, for these contacts or all. Uses delivery_claimed. */
export async function listOnTheirWay(sql: Sql, contactIds: number[] | null): Promise<DeliveryOnItsWay[]> {
  return rowsOf<DeliveryOnItsWay>(
    sql,
    `SELECT campaign_id AS "campaignId", contact_id::float8 AS "contactId", address, handed_at AS "handedAt" FROM delivery
     WHERE state = 'claimed' AND handed_at IS NOT NULL AND ($1::bigint[] IS NULL OR contact_id = ANY($1::bigint[]))`,
    [contactIds],
  );
}

/**
 * Contacts whose address without its sub-address is that of one of these: an entry for the one stops the others. Uses
 * contact_by_base_address.
 */
export async function findSubAddressed(sql: Sql, contactIds: number[]): Promise<number[]> {
  const rows = await rowsOf<{ id: number }>(
    sql,
    `SELECT s.id::float8 AS id FROM contact c CROSS JOIN LATERAL (
       SELECT id FROM contact WHERE ${baseAddressSql('address')} = c.address AND strpos(address, '+') > 1 OFFSET 0) s
     WHERE c.id = ANY($1::bigint[])`,
    [contactIds],
  );
  return rows.map((row) => row.id);
}

/** What became of a message that was handed over. */
export interface HandoverResult {
  contactId: number;
  /** The claim under which it was handed over. */
  claimId: string;
  outcome: 'accepted' | 'refused' | 'uncertain' | 'again';
  reply: string;
  /** Milliseconds since the epoch. */
  at: number;
  /** For `again`: seconds to wait before the next attempt. */
  waitSeconds: number;
  /** The recipient's own server was never asked: it is no attempt. */
  untried: boolean;
  /** The relay it was handed to; null for the one of the settings. */
  relayId: number | null;
}

/**
 * Records what became of handed-over messages, many at a time, and gives back the places of those that did not leave.
 * Only rows of their claims change; and those that were taken for uncertain meanwhile, because this process seemed
 * dead, and of which it knows the end after all. The caller has held the rows of those that did not leave (holdMailed).
 */
export async function recordHandovers(sql: Sql, campaignId: number, results: HandoverResult[]): Promise<void> {
  const rows = await queryPrepared<{ contactId: string }>(
    sql,
    'recordHandovers',
    `WITH result AS MATERIALIZED (SELECT $1::int AS campaign_id, g.* FROM json_to_recordset($2::json) AS g("contactId" bigint, "claimId" uuid, outcome text, reply text, at float8, "waitSeconds" float8, untried boolean, "relayId" int)),
     doubted AS (
       SELECT d.contact_id FROM result r JOIN delivery d ON d.campaign_id = r.campaign_id AND d.contact_id = r."contactId" WHERE d.state = 'uncertain'),
     recorded AS (
     UPDATE delivery d SET
       state = CASE r.outcome WHEN 'again' THEN 'queued' ELSE r.outcome END,
       reply = r.reply,
       accepted_at = CASE WHEN r.outcome = 'accepted' THEN to_timestamp(r.at / 1000.0) END,
       not_before = CASE WHEN r.outcome = 'again' THEN now() + make_interval(secs => r."waitSeconds") END,
       handed_at = CASE WHEN r.outcome <> 'again' THEN d.handed_at END,
       parked = CASE WHEN r.outcome = 'again' THEN '' END,
       first_tried_at = CASE WHEN NOT r.untried OR d.attempts > 1 THEN d.first_tried_at END,
       attempts = d.attempts - CASE WHEN r.untried THEN 1 ELSE 0 END,
       relay_id = CASE WHEN r.outcome <> 'again' THEN r."relayId" END,
       claim_id = NULL, process_id = NULL
     FROM result r
     WHERE d.campaign_id = r.campaign_id AND d.contact_id = r."contactId"
       AND ((d.state = 'claimed' AND d.claim_id = r."claimId") OR (d.state = 'uncertain' AND r.outcome IN ('accepted', 'refused')))
     RETURNING d.contact_id, d.state)
     SELECT contact_id AS "contactId" FROM recorded WHERE state <> 'accepted' OR contact_id IN (SELECT contact_id FROM doubted)`,
    [campaignId, JSON.stringify(results)],
  );
  await recountMailed(
    sql,
    rows.map((row) => ({ campaignId, contactId: Number(row.contactId) })),
  );
}

/** What is left of a claim: never handed over goes back to waiting; without a record of the answer it is uncertain. */
const SETTLED = `
  state = CASE WHEN handed_at IS NULL THEN 'queued' ELSE 'uncertain' END,
  reply = CASE WHEN handed_at IS NULL THEN reply ELSE 'the sender stopped before the relay''s answer was recorded' END,
  claim_id = NULL, process_id = NULL`;

/**
 * Ends claims: what was not handed over when a process stops sending a campaign, and answers it could not record.
 * Within a transaction.
 */
export async function settleClaims(sql: Sql, campaignId: number, claimIds: string[]): Promise<void> {
  const settled = await rowsOf<Settled>(
    sql,
    `UPDATE delivery SET ${SETTLED} WHERE campaign_id = $1 AND claim_id = ANY($2::uuid[]) AND state = 'claimed' RETURNING ${SETTLED_AS}`,
    [campaignId, claimIds],
  );
  await recountMailed(sql, settled.filter(isUncertain));
}

type Settled = Message & { state: string };
const SETTLED_AS = `campaign_id AS "campaignId", contact_id::float8 AS "contactId", state`;
const isUncertain = ({ state }: Settled): boolean => state === 'uncertain';

/**
 * Mends what processes that no longer live have left, known ones and those that were forgotten before their last claim
 * was committed: whoever claims under a number that does not live any more has no other to end it. What is uncertain is
 * never sent again by itself. Uses delivery_claimed. Within a transaction.
 */
export async function settleAbandonedDeliveries(sql: Sql): Promise<{ requeued: number; uncertain: number }> {
  const rows = await rowsOf<Settled>(
    sql,
    `UPDATE delivery SET ${SETTLED} WHERE state = 'claimed' AND process_id IN (
       SELECT c.process_id FROM (SELECT DISTINCT process_id FROM delivery WHERE state = 'claimed') c WHERE NOT EXISTS (${livingProcessSql('c.process_id')})) RETURNING ${SETTLED_AS}`,
  );
  const uncertain = rows.filter(isUncertain);
  await recountMailed(sql, uncertain);
  return { requeued: rows.length - uncertain.length, uncertain: uncertain.length };
}

/** Who still waits for what. */
export interface Waiting {
  /** Somebody in a wave that has begun, who may be let in sooner or later. */
  waiting: boolean;
  /** Somebody in a later wave. */
  later: boolean;
  /** Somebody at a domain that is stopped, who was not called off. */
  stopped: boolean;
  /** Somebody is on the way. */
  claimed: boolean;
}

/** Who of a campaign still waits for what. Uses delivery_waiting, delivery_parked, delivery_claimed. */
export async function findWaiting(sql: Sql, campaignId: number): Promise<Waiting> {
  const somebody = (test: string): string => `EXISTS (SELECT FROM delivery WHERE campaign_id = $1 AND ${test})`;
  const parked = (which: string): string =>
    `EXISTS (SELECT FROM campaign_pace p WHERE p.campaign_id = $1 AND p.parks AND ${which} AND ${somebody('parked = p.domain')})`;
  const wave = `(SELECT wave FROM campaign WHERE id = $1)`;
  const [row] = await rowsOf<Waiting>(
    sql,
    `SELECT ${somebody(`state = 'queued' AND parked IS NULL AND wave <= ${wave}`)} OR ${somebody(`parked = ''`)} OR ${parked(`NOT ${STOPPED}`)} AS waiting,
            ${somebody(`state = 'queued' AND parked IS NULL AND wave > ${wave}`)} AS later,
            ${parked(`${STOPPED} AND NOT p.called_off`)} AS stopped,
            ${somebody(`state = 'claimed'`)} AS claimed`,
    [campaignId],
  );
  return row!;
}
