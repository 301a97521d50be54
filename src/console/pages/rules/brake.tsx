import { NumberInput } from '@mantine/core';
import { useState } from 'react';
import type { BrakeFigure, BrakeLimits } from '../../../shared/contract/pace.ts';
import { useBrakeLimits } from '../../api/queries/caps.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { FormEnd, SheetForm } from '../../components/form.tsx';
import { Await, ProblemNote, Section } from '../../components/page.tsx';

const FIGURES: [BrakeFigure, string][] = [
  ['hard', 'Hard bounces, of those tried'],
  ['block', 'Blocks, of those tried'],
  ['complaints', 'Complaints, of those delivered'],
  ['unsubscribed', 'Unsubscribed, of those delivered'],
];
const percentOf = (share: number): number => Number((100 * share).toFixed(2));

/** From which rates on campaigns of the brand are stopped while they run. */
export function BrakeOfBrand() {
  const brand = useBrand();
  return (
    <Section head="The brake">
      <p className="second">
        A campaign, a wave of it or a receiving domain that passes one of these is stopped by itself, once 200 were
        tried and five such events came. Going on needs a reason.
      </p>
      <Await of={useBrakeLimits(brand.id)} rows={2}>
        {(limits) => <Limits key={`${brand.id} ${JSON.stringify(limits)}`} limits={limits} />}
      </Await>
    </Section>
  );
}

function Limits({ limits }: { limits: BrakeLimits }) {
  const brand = useBrand();
  const [typed, setTyped] = useState<Partial<BrakeLimits>>({});
  const keep = useAct((client, _: void) => client.changeBrakeLimits({ brandId: brand.id, ...typed }));
  return (
    <SheetForm send={() => keep.mutate()}>
      <span className="row">
        {FIGURES.map(([figure, label]) => (
          <NumberInput
            key={figure}
            label={label}
            min={0.01}
            max={100}
            decimalScale={2}
            step={0.1}
            suffix=" %"
            value={percentOf(typed[figure] ?? limits[figure])}
            onChange={(value) =>
              typeof value === 'number' ? setTyped({ ...typed, [figure]: Number((value / 100).toFixed(4)) }) : undefined
            }
            w={230}
          />
        ))}
      </span>
      <ProblemNote error={keep.error} />
      {Object.keys(typed).length > 0 ? (
        <FormEnd keep="Brake from these on" saving={keep.isPending} leave={() => setTyped({})} />
      ) : null}
    </SheetForm>
  );
}
