import { reports } from '../../../shared/contract/reports.ts';
import { compareCampaigns, lookAtWhatCame } from '../../../operations/campaigns/what-came.ts';
import { handlers } from '../route.ts';
import { exportRecipients } from '../../../operations/campaigns/export-recipients.ts';
import { lookAtLedger } from '../../../operations/campaigns/look-at-ledger.ts';
import { reportCampaign } from '../../../operations/campaigns/report-campaign.ts';
import { pageOf, readCursor } from '../paging.ts';
import { streamText } from '../stream-text.ts';

/** What came of campaigns. */
export const reportsRoutes = handlers(reports, {
  report: ({ deps, params }) => reportCampaign(deps, params.id),
  whatCame: ({ deps, params }) => lookAtWhatCame(deps, params.id),
  compareCampaigns: ({ deps, query }) => compareCampaigns(deps, query.ids.split(',').map(Number)),
  async recipients({ deps, params, query }) {
    const found = await lookAtLedger(deps, params.id, query, readCursor(query.cursor, 0), query.limit + 1);
    return { ...pageOf(found.rows, query.limit, (row) => row.contactId), total: found.total };
  },
  exportRecipients: ({ deps, params, query, c }) =>
    streamText(c, `campaign-${params.id}.csv`, exportRecipients(deps, params.id, query)),
});
