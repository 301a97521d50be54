import { Button, Checkbox, TextInput } from '@mantine/core';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { useCampaigns } from '../../api/queries/campaigns.ts';
import { useAct } from '../../api/use-act.ts';
import { AudienceFields, NOBODY } from './audience-fields.tsx';
import { useBrand } from '../../brand.tsx';
import { FormDialog } from '../../components/dialog.tsx';
import { Await, Door, Finding, ProblemNote } from '../../components/page.tsx';
import { count, moment, plural } from '../../components/words.ts';
import { Turn, usePages } from '../../components/turn.tsx';

/** So many stand side by side on a page. */
const MOST_COMPARED = 8;

/** Campaigns of the brand, latest first. */
export default function Campaigns() {
  const brand = useBrand();
  const [making, setMaking] = useState(false);
  const [picked, setPicked] = useState<number[]>([]);
  const toggle = (id: number): void =>
    setPicked(picked.includes(id) ? picked.filter((one) => one !== id) : [...picked, id].slice(-MOST_COMPARED));
  const navigate = useNavigate();
  const pages = usePages();
  const campaigns = useCampaigns({ brandId: brand.id, cursor: pages.cursor, limit: 25 });
  const drafts = campaigns.data?.items.filter((one) => one.state === 'draft').length ?? 0;
  return (
    <>
      <div className="row apart" style={{ alignItems: 'flex-end' }}>
        <Finding
          line={`Campaigns, ${brand.name}`}
          headline={drafts > 0 ? `${plural(drafts, 'draft waits', 'drafts wait')} to be sent` : 'No draft waits'}
        />
        <span className="row">
          {picked.length > 0 ? (
            <Button
              disabled={picked.length < 2}
              onClick={() => void navigate(`/campaigns/compare?ids=${picked.join(',')}`)}
            >
              {picked.length === 1 ? 'Pick another to compare' : `Compare ${picked.length}`}
            </Button>
          ) : null}
          <Button onClick={() => setMaking(true)}>New campaign</Button>
        </span>
      </div>
      <NewCampaign opened={making} onClose={() => setMaking(false)} />
      <Await of={campaigns} rows={12}>
        {(page) => (
          <>
            <table className="rows folds" style={{ marginTop: 24 }}>
              <thead>
                <tr>
                  <td />
                  <th>Campaign</th>
                  <th>Subject</th>
                  <th>State</th>
                  <th className="figure">Audience</th>
                  <th className="figure">Accepted</th>
                  <th className="figure">Started</th>
                </tr>
              </thead>
              <tbody>
                {page.items.map((campaign) => (
                  <tr key={campaign.id}>
                    <td style={{ verticalAlign: 'middle', width: 32 }}>
                      {campaign.startedAt === null ? null : (
                        <Checkbox
                          aria-label={`Compare ${campaign.name}`}
                          checked={picked.includes(campaign.id)}
                          onChange={() => toggle(campaign.id)}
                        />
                      )}
                    </td>
                    <td>
                      <Door to={`/campaigns/${campaign.id}`}>{campaign.name}</Door>
                    </td>
                    <td className="second">{campaign.subject}</td>
                    <td>{campaign.state}</td>
                    <td className="figure">{count(campaign.audience)}</td>
                    <td className="figure">{count(campaign.accepted)}</td>
                    <td className="figure second">
                      {campaign.startedAt ? moment(campaign.startedAt, brand.zone) : ''}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
            <div className="row" style={{ justifyContent: 'flex-end', marginTop: 12 }}>
              <Turn pages={pages} next={page.next} size={25} />
            </div>
          </>
        )}
      </Await>
    </>
  );
}

function NewCampaign({ opened, onClose }: { opened: boolean; onClose: () => void }) {
  const brand = useBrand();
  const navigate = useNavigate();
  const [name, setName] = useState('');
  const [audience, setAudience] = useState(NOBODY);
  const create = useAct((client, _: void) => client.createCampaign({ brandId: brand.id, name, ...audience }));
  return (
    <FormDialog
      opened={opened}
      onClose={onClose}
      title="New campaign"
      send={() =>
        create.mutate(undefined, { onSuccess: (campaign) => void navigate(`/campaigns/${campaign.id}/message`) })
      }
    >
      <TextInput
        label="Name"
        required
        value={name}
        onChange={(event) => setName(event.currentTarget.value)}
        data-autofocus
      />
      <AudienceFields brandId={brand.id} audience={audience} change={setAudience} />
      <ProblemNote error={create.error} />
      <button
        type="submit"
        className="main-button"
        disabled={audience.listIds.length + audience.segmentIds.length === 0 || name.trim() === '' || create.isPending}
      >
        Create the draft
      </button>
    </FormDialog>
  );
}
