import { waveWords } from '../../shared/waves.ts';
import type { PreflightWave } from '../../shared/contract/sending.ts';
import type { Campaign } from '../../store/entities/campaign.ts';
import type { LeftOutBy } from '../../shared/contract/held-by.ts';
import { REASONS, type InSpiteOf, type Reason } from '../../shared/words.ts';
import { listSetAside, type SetAsideRow } from '../../store/statements/exclusions.ts';
import { nameCapped, type CappedByNamed } from '../../store/statements/held-back-by.ts';
import {
  countPreflight,
  countReachedInSpite,
  listReachedInSpite,
  listPreflight,
  type CountedPreflight,
  type JudgedContact,
  type PreflightRow,
} from '../../store/statements/preflight.ts';
import type { Deps } from '../deps.ts';
import { getCampaign, reportMessageProblems, type MessageProblem } from './edit-campaign.ts';
import { overAudience } from './judged-message.ts';
import { namesOf } from './leaving-out.ts';

export interface HoldBackCount {
  reason: Reason;
  /** What leaves them out, each thing on a line of its own; null for every other reason. */
  by: LeftOutBy | null;
  contacts: number;
  sample: PreflightRow['sample'];
}

/**
 * The audience worked out with every hold-back counted under its deciding reason; audience = willGet + heldBack,
 * always.
 */
export interface Preflight {
  campaignId: number;
  /** The version of the draft that was worked out: to be said back when it is started. */
  version: number;
  countedAt: Date;
  audience: number;
  willGet: number;
  heldBack: number;
  reasons: HoldBackCount[];
  /**
   * For purpose service: whom it reaches although they complained, opted out or are at sunset; one contact may be in
   * several.
   */
  inSpiteOf: HoldBackCount[];
  /** How many those are, each once. */
  reachedInSpite: number;
  /** Standing exclusions that it does without. */
  setAside: SetAsideRow[];
  /** Its parts, if it goes in parts. */
  waves: PreflightWave[];
  domains: { domain: string; contacts: number; accepted: number; bounced: number }[];
  problems: MessageProblem[];
}

const MOST_DOMAINS = 12;
const NOBODY_SPARED = { contacts: 0, rows: [] };

/** Works out who would get a campaign now. Nothing is written. */
export async function preflightCampaign(deps: Deps, id: number): Promise<Preflight> {
  const campaign = await getCampaign(deps, id);
  const [{ rows, domains, waves, spared, leavesOut }, problems] = await Promise.all([
    overAudience(deps, campaign, async (sql, message, leavesOut) => ({
      leavesOut,
      ...(await countPreflight(sql, message, MOST_DOMAINS)),
      spared: message.purpose === 'service' ? await countReachedInSpite(sql, message) : NOBODY_SPARED,
    })),
    reportMessageProblems(deps, campaign),
  ]);
  const willGet = rows.find((row) => row.reason === null)?.contacts ?? 0;
  const reasons = REASONS.flatMap((reason) =>
    rows
      .filter((row) => row.reason === reason)
      .map(({ by, contacts, sample }) => ({
        reason,
        by: by === null ? null : leavesOut[by - 1]!.by,
        contacts,
        sample,
      })),
  );
  const heldBack = reasons.reduce((sum, row) => sum + row.contacts, 0);
  return {
    campaignId: id,
    version: campaign.version,
    countedAt: deps.now(),
    audience: willGet + heldBack,
    willGet,
    heldBack,
    reasons,
    inSpiteOf: spared.rows.map(({ reason, contacts, sample }) => ({ reason: reason!, by: null, contacts, sample })),
    reachedInSpite: spared.contacts,
    setAside: await listSetAside(deps.database, id),
    waves: wavesOf(campaign, waves),
    domains,
    problems,
  };
}

/** The waves with how many each goes to, and what is odd about them. */
function wavesOf({ waves: plan }: Campaign, counted: CountedPreflight['waves']): PreflightWave[] {
  return (plan ?? []).map(({ of, test }, index) => {
    const wave = index + 1;
    const { willGet, heldBack } = counted.find((one) => one.wave === wave) ?? { willGet: 0, heldBack: 0 };
    const before = counted.find((one) => one.wave === index)?.willGet ?? 0;
    const odd =
      willGet === 0
        ? 'Nobody is in it.'
        : test && test.fewHard === null && before < test.delivered
          ? `It waits for a person in any case: its test asks for ${test.delivered} delivered, and wave ${index} goes to ${before}.`
          : null;
    return { wave, who: waveWords(of), willGet, heldBack, odd };
  });
}

/**
 * A contact of the audience with every reason that holds them back, and what it is that caps them or leaves them out.
 */
export type JudgedContactNamed = Omit<JudgedContact, 'leftOutBy' | 'cappedBy'> & {
  leftOutBy: LeftOutBy | null;
  cappedBy: CappedByNamed | null;
};

/**
 * The contacts behind one figure of a preflight; reason null lists those who would get it, `by` those whom one thing
 * leaves out (`exclusion 5`), `inSpiteOf` those whom a service message reaches although this holds marketing back.
 */
export async function listPreflightContacts(
  deps: Deps,
  id: number,
  { reason, by, inSpiteOf }: { reason: Reason | null; by?: string; inSpiteOf?: InSpiteOf },
  after: number,
  limit: number,
): Promise<JudgedContactNamed[]> {
  return overAudience(deps, await getCampaign(deps, id), async (sql, message, leavesOut) => {
    // What is not among them leaves nobody out.
    const place = by === undefined ? null : namesOf(leavesOut).indexOf(by) + 1;
    const rows = inSpiteOf
      ? message.purpose === 'service'
        ? await listReachedInSpite(sql, message, inSpiteOf, after, limit)
        : []
      : await listPreflight(sql, message, reason, after, limit, place);
    return nameCapped(
      sql,
      rows.map((row) => ({ ...row, leftOutBy: row.leftOutBy === null ? null : leavesOut[row.leftOutBy - 1]!.by })),
    );
  });
}
