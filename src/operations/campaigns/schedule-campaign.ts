import { instantsOf } from '../../core/time/days.ts';
import { waveWords } from '../../shared/waves.ts';
import type { ScheduleRequest, Waves as ShownWaves } from '../../shared/contract/schedule.ts';
import { inTransaction } from '../../store/database.ts';
import { CampaignEntity, type Campaign } from '../../store/entities/campaign.ts';
import { releaseBrakes } from '../../store/statements/brake.ts';
import { moveCampaign, noteChange, waitForCampaign } from '../../store/statements/campaigns.ts';
import { countWaves, keepSchedule, listWaves } from '../../store/statements/waves.ts';
import type { WithDates } from '../../store/with-dates.ts';
import type { Deps } from '../deps.ts';
import { findZone } from '../organisation/zones.ts';
import { found, Problem } from '../problem.ts';
import { assertState, changedMeanwhile, isHalted } from './control-campaign.ts';
import { getCampaign, reportMessageProblems } from './edit-campaign.ts';
import { startWave } from './move-on.ts';

const LOCAL = /^(\d{4}-\d{2}-\d{2})[ T](\d{2}:\d{2})$/;
const DEFAULT_TOLERANCE = 0.1;

/**
 * Schedules a draft, or gives one that is scheduled another time: at that instant its audience is worked out afresh,
 * and it starts if that has not moved by more than the tolerance from what was seen.
 * @throws Problem invalid-input for a time that is past, or that the clocks leave out or show twice; message-unfit,
 *   nobody-left, wrong-state, not-found
 */
export async function scheduleCampaign(
  deps: Deps,
  id: number,
  { at, expect, inSpite = 0, version, tolerance = DEFAULT_TOLERANCE, actor }: ScheduleRequest & { actor: string },
): Promise<Campaign> {
  const campaign = await getCampaign(deps, id);
  assertState(campaign, ['draft', 'scheduled'], 'scheduled');
  if (version !== undefined && version !== campaign.version) throw changedMeanwhile(campaign);
  const zone = await findZone(deps.database, campaign.brandId);
  const instant = readInstant(at, zone);
  if (instant <= deps.now().getTime())
    throw new Problem('invalid-input', `${at} is past. Start it now, or say another time.`, { field: 'at' });
  if (expect === 0) throw new Problem('nobody-left', `Nobody would get “${campaign.name}”.`);
  const [problem] = await reportMessageProblems(deps, campaign);
  if (problem) throw new Problem('message-unfit', problem.message, { field: problem.field });
  await inTransaction(deps.database, async (sql) => {
    const by = { actorKind: 'person' as const, actor };
    if (!(await moveCampaign(sql, id, [campaign.state], 'scheduled', null, by, campaign.version)))
      throw changedMeanwhile(campaign);
    await keepSchedule(sql, id, { at: new Date(instant), expected: expect, inSpite, tolerance });
  });
  return getCampaign(deps, id);
}

/** The instant of a time by the clocks of a zone, or of RFC 3339. @throws Problem invalid-input */
function readInstant(at: string, zone: string): number {
  const local = LOCAL.exec(at.trim());
  if (!local) {
    const instant = /[zZ]|[+-]\d{2}:\d{2}$/.test(at) ? Date.parse(at) : NaN;
    if (Number.isNaN(instant))
      throw new Problem('invalid-input', `“${at}” is no time: write 2026-12-03 08:30, or 2026-12-03T08:30:00Z.`, {
        field: 'at',
      });
    return instant;
  }
  const instants = instantsOf(local[1]!, local[2]!, zone);
  if (instants.length === 1) return instants[0]!;
  throw new Problem(
    'invalid-input',
    instants.length === 0
      ? `The clocks in ${zone} never show ${at}: they are put forward over it, or there is no such day.`
      : `The clocks in ${zone} show ${at} twice: say which, as ${instants.map((one) => new Date(one).toISOString()).join(' or ')}.`,
    { field: 'at' },
  );
}

/** Makes a campaign that has not started a draft again. @throws Problem wrong-state, not-found */
export async function callOffCampaign(deps: Deps, id: number, actor: string): Promise<Campaign> {
  const campaign = await getCampaign(deps, id);
  if (!isHalted(campaign)) assertState(campaign, ['scheduled'], 'called off');
  const by = { actorKind: 'person' as const, actor };
  if (!(await moveCampaign(deps.database, id, [campaign.state], 'draft', null, by, campaign.version)))
    throw changedMeanwhile(campaign);
  return getCampaign(deps, id);
}

/** Begins the next wave now, whatever its time and its test say. @throws Problem wrong-state, not-found */
export async function beginWaveNow(
  deps: Deps,
  id: number,
  { wave, reason, actor }: { wave: number; reason: string; actor: string },
): Promise<Campaign> {
  const by = { actorKind: 'person' as const, actor };
  await inTransaction(deps.database, async (sql) => {
    // Held until it has begun: of two who begin it, and of Avendel itself, one does.
    await waitForCampaign(sql, id);
    const campaign = found(await sql.getRepository(CampaignEntity).findOneBy({ id }), `campaign ${id}`);
    assertState(campaign, ['sending', 'resting', 'paused'], 'gone on with');
    const next = (await listWaves(sql, id)).find(({ begunAt }) => !begunAt);
    if (next?.wave !== wave)
      throw new Problem(
        'wrong-state',
        next
          ? `The next wave of “${campaign.name}” is ${next.wave}; wave ${wave} cannot begin now.`
          : `“${campaign.name}” has no wave that has not begun.`,
      );
    await startWave(sql, id, next, by, reason);
    if (next.heldAt && campaign.state === 'paused') {
      await moveCampaign(sql, id, ['paused'], 'sending', reason, by);
      await releaseBrakes(sql, id, null, { by: actor, reason });
    } else if (campaign.state === 'paused') await noteChange(sql, id, 'it stays paused', by);
  });
  deps.announce('send');
  return getCampaign(deps, id);
}

export type Waves = Omit<ShownWaves, 'waves'> & {
  waves: WithDates<ShownWaves['waves'][number], 'beginsAt' | 'begunAt'>[];
};

const HOUR_MS = 3_600_000;
const MOST_HOURS = 720;

/** The waves of a campaign side by side: what came of each within as many hours as the youngest is old. */
export async function reportWaves(deps: Deps, id: number): Promise<Waves> {
  const { waves: plan } = await getCampaign(deps, id);
  const rows = await listWaves(deps.database, id);
  const begun = rows.flatMap(({ begunAt }) => (begunAt ? [begunAt.getTime()] : []));
  const youngest = Math.ceil((deps.now().getTime() - Math.max(...begun)) / HOUR_MS);
  const hours = begun.length === 0 ? 0 : Math.min(MOST_HOURS, Math.max(1, youngest));
  const counts = new Map((await countWaves(deps.database, id, hours)).map((one) => [one.wave, one]));
  return {
    hours,
    waves: rows.map((row) => {
      const { bounced = 0, ...found } = counts.get(row.wave) ?? {};
      const counted = { ...NOTHING, ...found };
      return {
        ...counted,
        wave: row.wave,
        who: waveWords(plan![row.wave - 1]!.of),
        state: row.begunAt ? 'begun' : row.heldAt ? 'held' : 'waits',
        beginsAt: row.beginsAt,
        begunAt: row.begunAt,
        begunBy: row.begunBy,
        begunBecause: row.begunBecause,
        heldBecause: row.begunAt ? null : row.heldBecause,
        tried: counted.accepted + counted.refused + counted.uncertain,
        delivered: Math.max(0, counted.accepted - bounced),
      };
    }),
  };
}

const NOTHING = {
  audience: 0,
  heldBack: 0,
  waiting: 0,
  accepted: 0,
  refused: 0,
  uncertain: 0,
  hard: 0,
  block: 0,
  complaints: 0,
  unsubscribed: 0,
  opened: 0,
  clicked: 0,
};
