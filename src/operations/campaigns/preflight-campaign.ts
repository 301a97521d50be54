import { REASONS, type Reason } from '../../shared/words.ts';
import {
  countPreflight,
  countReachedInSpite,
  listPreflight,
  type JudgedContact,
  type PreflightRow,
} from '../../store/statements/preflight.ts';
import type { Deps } from '../deps.ts';
import { getCampaign, reportMessageProblems } from './edit-campaign.ts';
import { overAudience } from './judged-message.ts';

export interface HoldBackCount {
  reason: Reason;
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
  domains: { domain: string; contacts: number; accepted: number; bounced: number }[];
  problems: { field: string; at: number; message: string }[];
}

const MOST_DOMAINS = 12;

/** Works out who would get a campaign now. Nothing is written. */
export async function preflightCampaign(deps: Deps, id: number): Promise<Preflight> {
  const campaign = await getCampaign(deps, id);
  const [{ rows, domains, spared }, problems] = await Promise.all([
    overAudience(deps, campaign, async (sql, message) => ({
      ...(await countPreflight(sql, message, MOST_DOMAINS)),
      spared: message.purpose === 'service' ? await countReachedInSpite(sql, message) : [],
    })),
    reportMessageProblems(deps, campaign),
  ]);
  const willGet = rows.find((row) => row.reason === null)?.contacts ?? 0;
  const reasons = REASONS.flatMap((reason) =>
    rows.filter((row) => row.reason === reason).map((row) => ({ reason, contacts: row.contacts, sample: row.sample })),
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
    inSpiteOf: spared.map(({ reason, contacts, sample }) => ({ reason: reason!, contacts, sample })),
    domains,
    problems,
  };
}

/** The contacts behind one figure of a preflight; reason null lists those who would get it. */
export async function listPreflightContacts(
  deps: Deps,
  id: number,
  reason: Reason | null,
  after: number,
  limit: number,
): Promise<JudgedContact[]> {
  return overAudience(deps, await getCampaign(deps, id), (sql, message) =>
    listPreflight(sql, message, reason, after, limit),
  );
}
