import { Button, MultiSelect } from '@mantine/core';
import { useState } from 'react';
import { orderWords, relaySettingWords, relayWords } from '../../../client/wording/relay.ts';
import type { KeptRelay } from '../../../shared/contract/relay.ts';
import { useRelays, useRelaysOf } from '../../api/queries/relay.ts';
import { useAct } from '../../api/use-act.ts';
import { hasTyped } from '../../api/use-typed.ts';
import { useBrand } from '../../brand.tsx';
import { FormEnd, SheetForm } from '../../components/form.tsx';
import { Await, ProblemNote, Section } from '../../components/page.tsx';
import { Rows } from '../../components/rows.tsx';
import { SureButton } from '../../components/sure-button.tsx';
import { moment } from '../../components/words.ts';
import { placeOfRelay, RelayForm } from './relay-form.tsx';

/** The relays of the organisation, and through which the brand sends. */
export function Relays() {
  return (
    <Await of={useRelays()} rows={1}>
      {(all) => <All of={all} />}
    </Await>
  );
}

function All({ of: all }: { of: KeptRelay[] }) {
  // A relay by its number; 0 is a new one.
  const [open, setOpen] = useState<number | null>(
    () => all.find((one) => hasTyped(placeOfRelay(one)))?.id ?? (hasTyped(placeOfRelay()) ? 0 : null),
  );
  const close = (): void => setOpen(null);
  return (
    <Section head="Relays" beside={<Button onClick={() => setOpen(0)}>New relay</Button>}>
      {open === 0 ? <RelayForm done={close} /> : null}
      <Order all={all} />
      {all.length === 0 ? null : (
        <Rows
          heads={
            <>
              <th>Relay</th>
              <td />
            </>
          }
        >
          {all.map((relay) => (
            <RelayRow
              key={relay.id}
              of={relay}
              open={open === relay.id}
              toggle={() => setOpen(open === relay.id ? null : relay.id)}
            />
          ))}
        </Rows>
      )}
      {all
        .filter(({ id }) => id === open)
        .map((relay) => (
          <RelayForm key={relay.id} relay={relay} done={close} />
        ))}
    </Section>
  );
}

/** Through which the brand sends: the next takes over when one fails. */
function Order({ all }: { all: KeptRelay[] }) {
  const brand = useBrand();
  return (
    <Await of={useRelaysOf(brand.id)} rows={1}>
      {(order) => (
        <>
          <p className="second">{orderWords(brand.name, order)}</p>
          {all.length === 0 ? null : (
            <OrderForm key={order.map(({ id }) => id).join()} all={all} order={order.map(({ id }) => String(id))} />
          )}
        </>
      )}
    </Await>
  );
}

function OrderForm({ all, order }: { all: KeptRelay[]; order: string[] }) {
  const brand = useBrand();
  const [chosen, setChosen] = useState(order);
  const keep = useAct((client, _: void) => client.sendThrough({ id: brand.id, relayIds: chosen.map(Number) }));
  return (
    <SheetForm send={() => keep.mutate(undefined)}>
      <MultiSelect
        searchable
        label={`${brand.name} sends through`}
        description="In the order in which they are chosen; the next takes over when one fails. None: the relay of AVENDEL_RELAY_URL."
        data={all.map(({ id, name }) => ({ value: String(id), label: name }))}
        value={chosen}
        onChange={setChosen}
      />
      <ProblemNote error={keep.error} />
      {chosen.join() === order.join() ? null : (
        <FormEnd keep="Keep the order" saving={keep.isPending} leave={() => setChosen(order)} />
      )}
    </SheetForm>
  );
}

function RelayRow({ of, open, toggle }: { of: KeptRelay; open: boolean; toggle: () => void }) {
  const { zone } = useBrand();
  const check = useAct((client, _: void) => client.checkRelay({ relayId: of.id }));
  const remove = useAct((client, _: void) => client.removeRelay({ id: of.id }));
  return (
    <tr>
      <td className="breaks">
        {of.name}{' '}
        <span className="second">
          {of.host}:{of.port}
        </span>
        <div className="second">
          {relaySettingWords(of)}; returns to {of.returnsTo ?? 'the return domain of the brand'}
        </div>
        {of.trouble === null ? null : (
          <div>
            In trouble since {moment(of.troubleSince ?? '', zone)}: <span className="said">{of.trouble}</span>
          </div>
        )}
        <div role="status">
          {check.data ? (
            <>
              {relayWords(check.data)} It said: <span className="said">{check.data.said}</span>
            </>
          ) : null}
        </div>
        <ProblemNote error={check.error ?? remove.error} />
      </td>
      <td className="figure">
        <button
          type="button"
          className="act"
          aria-label={`Check ${of.name}`}
          disabled={check.isPending}
          onClick={() => check.mutate(undefined)}
        >
          Check
        </button>{' '}
        <button type="button" className="act" aria-label={`Change ${of.name}`} aria-expanded={open} onClick={toggle}>
          Change
        </button>{' '}
        <SureButton ask={`Remove ${of.name}`} sure={`Yes, remove ${of.name}`} act={() => remove.mutate(undefined)}>
          Remove
        </SureButton>
      </td>
    </tr>
  );
}
