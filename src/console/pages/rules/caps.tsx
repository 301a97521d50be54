import { Button, NumberInput, Select } from '@mantine/core';
import { useState } from 'react';
import { useCaps } from '../../api/queries/caps.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { FormEnd, SheetForm } from '../../components/form.tsx';
import { Await, ProblemNote, Section } from '../../components/page.tsx';
import { Rows } from '../../components/rows.tsx';
import { SureButton } from '../../components/sure-button.tsx';
import { day } from '../../components/words.ts';
import { capWords } from '../../../client/wording/held-by.ts';

/** How many marketing messages one contact gets at most: of the brand, and of all brands together. */
export function Caps() {
  const brand = useBrand();
  const [adding, setAdding] = useState(false);
  const end = useAct((client, id: number) => client.endCap({ id }));
  return (
    <Section
      head="How often at most"
      beside={adding ? undefined : <Button onClick={() => setAdding(true)}>Set a cap</Button>}
    >
      <p className="second">
        Whoever has had as many marketing messages is held back from the next, in every preflight and again when it is
        their turn. Service messages neither count nor are stopped.
      </p>
      {adding ? <NewCap done={() => setAdding(false)} /> : null}
      <ProblemNote error={end.error} />
      <Await of={useCaps(brand.id)} rows={2}>
        {(caps) =>
          caps.length === 0 ? (
            <p className="second">No cap: nothing keeps two campaigns from the same person on the same day.</p>
          ) : (
            <Rows
              heads={
                <>
                  <th>At most</th>
                  <th>Of</th>
                  <th>Since</th>
                  <th />
                </>
              }
            >
              {caps.map((cap) => (
                <tr key={cap.id}>
                  <td>{capWords(cap)}</td>
                  <td>{cap.brandId === null ? 'all brands together' : brand.name}</td>
                  <td className="second">
                    {day(cap.begunAt, brand.zone)}, {cap.begunBy}
                  </td>
                  <td className="figure">
                    <SureButton
                      ask={`End the cap of ${capWords(cap)}`}
                      sure={`Yes, end ${capWords(cap)}`}
                      act={() => end.mutate(cap.id)}
                    >
                      End
                    </SureButton>
                  </td>
                </tr>
              ))}
            </Rows>
          )
        }
      </Await>
    </Section>
  );
}

function NewCap({ done }: { done: () => void }) {
  const brand = useBrand();
  const [messages, setMessages] = useState<number | string>(2);
  const [days, setDays] = useState<number | string>(7);
  const [of, setOf] = useState('brand');
  const keep = useAct((client, _: void) =>
    client.createCap({ brandId: of === 'all' ? null : brand.id, messages: Number(messages), days: Number(days) }),
  );
  return (
    <SheetForm send={() => keep.mutate(undefined, { onSuccess: done })}>
      <span className="row">
        <NumberInput
          label="Messages at most"
          required
          min={1}
          max={32}
          value={messages}
          onChange={setMessages}
          w={150}
        />
        <NumberInput label="In so many days" required min={1} max={366} value={days} onChange={setDays} w={150} />
        <Select
          label="Which messages count"
          data={[
            { value: 'brand', label: `those of ${brand.name}` },
            { value: 'all', label: 'those of all brands together' },
          ]}
          value={of}
          onChange={(value) => setOf(value ?? 'brand')}
          allowDeselect={false}
          w={290}
        />
      </span>
      <span className="second">One that is set for the same days is replaced.</span>
      <ProblemNote error={keep.error} />
      <FormEnd keep="Set the cap" saving={keep.isPending} leave={done} />
    </SheetForm>
  );
}
