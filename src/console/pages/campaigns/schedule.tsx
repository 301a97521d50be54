import { Button, NumberInput, TextInput } from '@mantine/core';
import { useState } from 'react';
import type { Campaign } from '../../../shared/contract/campaigns.ts';
import type { Preflight } from '../../../shared/contract/sending.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { ProblemNote } from '../../components/page.tsx';
import { useSayInSpite } from './in-spite.tsx';
import { moment } from '../../components/words.ts';

/** Starts a campaign later, at another time, or not after all. */
export function Schedule({ campaign, preflight }: { campaign: Campaign; preflight: Preflight }) {
  const { zone } = useBrand();
  const [asked, setAsked] = useState(false);
  const [at, setAt] = useState('');
  const { field, isSaid } = useSayInSpite(preflight.reachedInSpite);
  const [percent, setPercent] = useState<number | string>(10);
  const keep = useAct((client, _: void) =>
    client.scheduleCampaign({
      id: campaign.id,
      at: at.replace('T', ' '),
      expect: preflight.willGet,
      inSpite: preflight.reachedInSpite,
      version: preflight.version,
      tolerance: Number(percent) / 100,
    }),
  );
  const callOff = useAct((client, _: void) => client.callOffCampaign({ id: campaign.id }));
  const isScheduled = campaign.state === 'scheduled';
  return (
    <>
      {isScheduled ? (
        <p role="note">Starts by itself on {moment(campaign.startsAt!, zone)}, with whoever is in its audience then.</p>
      ) : null}
      {asked ? (
        <form
          className="sheet stack"
          onSubmit={(event) => {
            event.preventDefault();
            keep.mutate(undefined, { onSuccess: () => setAsked(false) });
          }}
        >
          <TextInput
            label={`When, by the clock in ${zone}`}
            type="datetime-local"
            required
            value={at}
            onChange={(event) => setAt(event.currentTarget.value)}
          />
          <NumberInput
            label="How much the number may move"
            description={`From ${preflight.willGet.toLocaleString('en-GB')}. If it moves by more until then, nothing leaves and you are asked.`}
            min={0}
            max={100}
            suffix=" %"
            value={percent}
            onChange={setPercent}
          />
          {field}
          <ProblemNote error={keep.error} />
          <Button type="submit" loading={keep.isPending} disabled={!isSaid}>
            Schedule it
          </Button>
          <Button variant="subtle" onClick={() => setAsked(false)}>
            Not now
          </Button>
        </form>
      ) : campaign.state === 'draft' || isScheduled ? (
        <Button disabled={preflight.willGet === 0 || preflight.problems.length > 0} onClick={() => setAsked(true)}>
          {isScheduled ? 'Another time' : 'Send it later'}
        </Button>
      ) : null}
      {campaign.state === 'draft' ? null : (
        <Button onClick={() => callOff.mutate(undefined)}>Call it off, make it a draft again</Button>
      )}
      <ProblemNote error={callOff.error} />
    </>
  );
}
