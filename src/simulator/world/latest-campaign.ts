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
  beginBadDay(domain: string): void;
  endBadDay(domain: string): void;
}

const BAD_DAY_DOMAIN = 'campusnet.example';
/** How long the world waits for what comes back of its latest campaign. */
const LONGEST_WAIT_MS = 40_000;
const LOOK_EVERY_MS = 250;

/**
 * The latest campaign really leaves, on a bad day of one provider: a ledger with hold-backs and refusals, a held storm,
 * a reader who asks to stop and a return that matches nothing are then there to be looked at. Goes on without the storm
 * when none comes in time.
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
  });
  const { willGet } = await api.get<Preflight>(`/campaigns/${campaign.id}/preflight`);
  providers.beginBadDay(BAD_DAY_DOMAIN);
  await api.post(`/campaigns/${campaign.id}/start`, { expect: willGet });
  await until(async () => (await api.get<CampaignReport>(`/campaigns/${campaign.id}/report`)).state === 'finished');
  await until(async () => (await api.get<Storm[]>('/storms')).length > 0);
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
