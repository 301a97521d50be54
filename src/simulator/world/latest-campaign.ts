import { setTimeout as delay } from 'node:timers/promises';
import type { Campaign } from '../../shared/contract/campaigns.ts';
import type { CampaignReport } from '../../shared/contract/reports.ts';
import type { Preflight } from '../../shared/contract/sending.ts';
import type { Storm } from '../../shared/contract/storms.ts';
import { deliveryReport } from '../reports.ts';
import type { Api } from '../speak-http.ts';

/** What the simulated providers are told to do meanwhile. */
export interface Providers {
  /** A provider takes mail from now on and reports every mailbox as unknown; until it is well again. */
  beginBadDay(domain: string): unknown;
  endBadDay(domain: string): unknown;
}

const BAD_DAY_DOMAIN = 'campusnet.example';
/** How long the world waits for what comes back of its latest campaign. */
const LONGEST_WAIT_MS = 40_000;
const LOOK_EVERY_MS = 250;

/** The provider of the bad day gets so many an hour: its storm is seen while most of its people still wait. */
const SLOW_PACE = 14_400;

/**
 * The latest campaign really leaves, on a bad day of one provider: a ledger with hold-backs and refusals, a held storm
 * that stops its domain, a reader who asks to stop and a return that matches nothing are then there to be looked at. It
 * is paused in the end: nobody is left but who waits for the storm to be decided. Goes on without when none comes in
 * time.
 */
export async function sendLatest(
  api: Api,
  audience: { brandId: number; listId: number },
  providers: Providers,
): Promise<void> {
  const campaign = await api.post<Campaign>('/campaigns', {
    brandId: audience.brandId,
    name: 'A week of clear nights',
    subject: 'Clear until Sunday: what to look for',
    html: CLEAR_NIGHTS,
    listIds: [audience.listId],
    pace: {
      perHour: null,
      connections: null,
      domains: [{ domain: BAD_DAY_DOMAIN, perHour: SLOW_PACE, connections: null }],
    },
  });
  const { willGet } = await api.get<Preflight>(`/campaigns/${campaign.id}/preflight`);
  providers.beginBadDay(BAD_DAY_DOMAIN);
  await api.post(`/campaigns/${campaign.id}/start`, { expect: willGet });
  const state = async () => (await api.get<CampaignReport>(`/campaigns/${campaign.id}/report`)).state;
  await until(async () => {
    if ((await api.get<Storm[]>('/storms')).length > 0) return true;
    // Of few people those of one provider are enough for the brake.
    if ((await state()) === 'paused')
      await api.post(`/campaigns/${campaign.id}/resume`, { reason: 'all of them are at one provider' });
    return false;
  });
  await until(async () => (await state()) !== 'sending');
  providers.endBadDay(BAD_DAY_DOMAIN);
  const unmatched = deliveryReport(
    {
      envelopeFrom: 'b.abcdefghijklmnopqrstuvwxyz234567abcdefg@returns.larkfield.example',
      to: 'somebody.else@tollgate-freight.example',
      headers: 'From: Larkfield Observatory <digest@larkfield.example>\r\nSubject: Night Digest 12',
    },
    '5.1.1',
    '550 5.1.1 <somebody.else@tollgate-freight.example>: no such user here',
  );
  await api.upload('/returns', unmatched, 'message/rfc822');
}

async function until(isSo: () => Promise<boolean>): Promise<void> {
  for (const began = Date.now(); Date.now() - began < LONGEST_WAIT_MS;) {
    if (await isSo()) return;
    await delay(LOOK_EVERY_MS);
  }
}

const CLEAR_NIGHTS = `<html><body style="font-family:Georgia,serif;color:#1E2A33">
<h1>Clear until Sunday</h1>
<p>Dear [[first_name else "stargazer"]], high pressure, no Moon before midnight, and Jupiter high in the south.</p>
<p><a href="https://larkfield.example/tonight">What to look for tonight</a></p>
<p><a href="https://larkfield.example/evenings">Come and look through the great refractor</a></p>
</body></html>`;
