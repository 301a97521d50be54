import { useParams } from 'react-router';
import { useCampaign } from '../../api/queries/campaigns.ts';
import { OfAnotherBrand } from '../../components/of-another-brand.tsx';
import { Await } from '../../components/page.tsx';
import { PreflightPage } from './preflight.tsx';
import { ReportPage } from './report.tsx';

/** One campaign: its preflight until it starts, its progress and report from then on. */
export default function Campaign() {
  const id = Number(useParams()['id']);
  return (
    <Await of={useCampaign(id)}>
      {(campaign) => (
        <>
          <OfAnotherBrand brandId={campaign.brandId} what="campaign" />
          {campaign.startedAt === null && ['draft', 'scheduled', 'paused'].includes(campaign.state) ? (
            <PreflightPage key={campaign.id} campaign={campaign} />
          ) : (
            <ReportPage campaign={campaign} />
          )}
        </>
      )}
    </Await>
  );
}
