import { Button, TextInput } from '@mantine/core';
import { useState } from 'react';
import type { Campaign } from '../../../shared/contract/campaigns.ts';
import type { Wave } from '../../../shared/contract/schedule.ts';
import { useWaves } from '../../api/queries/campaigns.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { DoOrNot } from '../../components/form.tsx';
import { Await, ProblemNote, Section } from '../../components/page.tsx';
import { Rows } from '../../components/rows.tsx';
import { count, moment, percent } from '../../components/words.ts';

/** The waves of a campaign that was started, side by side at the same age; the next one can be begun. */
export function Waves({ campaign, state }: { campaign: Campaign; state: string }) {
  const { zone } = useBrand();
  const isUnderWay = ['sending', 'resting', 'paused'].includes(state);
  return (
    <Await of={useWaves(campaign.id, isUnderWay)} rows={3}>
      {({ hours, waves }) => {
        const next = waves.find((one) => one.state !== 'begun');
        return (
          <Section head="Waves" beside={`what came of each within ${count(hours)} ${hours === 1 ? 'hour' : 'hours'}`}>
            <Rows
              heads={
                <>
                  <th>Wave</th>
                  <th>Who</th>
                  <th>Begins</th>
                  <th className="figure">Gets it</th>
                  <th className="figure">Accepted</th>
                  <th className="figure">Hard</th>
                  <th className="figure">Compl.</th>
                  <th className="figure">Opened</th>
                </>
              }
            >
              {waves.map((one) => (
                <tr key={one.wave}>
                  <td>{one.wave}</td>
                  <td>{one.who}</td>
                  <td className="second">{whenWords(one, zone)}</td>
                  <td className="figure">{count(one.audience - one.heldBack)}</td>
                  <td className="figure">{count(one.accepted)}</td>
                  <td className="figure">{percent(one.tried === 0 ? null : one.hard / one.tried)}</td>
                  <td className="figure">{percent(one.delivered === 0 ? null : one.complaints / one.delivered)}</td>
                  <td className="figure">{percent(one.delivered === 0 ? null : one.opened / one.delivered, 1)}</td>
                </tr>
              ))}
            </Rows>
            {next && isUnderWay ? <Begin key={`${next.wave} ${next.state}`} campaign={campaign} next={next} /> : null}
          </Section>
        );
      }}
    </Await>
  );
}

function whenWords({ state, begunAt, beginsAt, heldBecause }: Wave, zone: string): string {
  if (state === 'held') return `held: ${heldBecause}`;
  const at = begunAt ?? beginsAt;
  return at === null ? 'after the one before' : moment(at, zone);
}

function Begin({ campaign, next }: { campaign: Campaign; next: Wave }) {
  const [asked, setAsked] = useState(next.state === 'held');
  const [reason, setReason] = useState('');
  const begin = useAct((client, _: void) => client.beginWave({ id: campaign.id, wave: next.wave, reason }));
  const waiting = count(next.audience - next.heldBack);
  if (!asked)
    return (
      <Button mt={12} onClick={() => setAsked(true)}>
        Begin wave {next.wave} now
      </Button>
    );
  return (
    <div className="sheet stack" role="group" aria-label={`Begin wave ${next.wave}`} style={{ marginTop: 12 }}>
      {next.heldBecause ? (
        <strong>
          Wave {next.wave} waits for you: {next.heldBecause}.
        </strong>
      ) : null}
      <TextInput label="Reason" required value={reason} onChange={(event) => setReason(event.currentTarget.value)} />
      <ProblemNote error={begin.error} />
      <DoOrNot
        what={`Go on with the ${waiting}`}
        ready={reason.trim() !== '' && !begin.isPending}
        act={() => begin.mutate(undefined)}
        leave={() => setAsked(false)}
      />
    </div>
  );
}
