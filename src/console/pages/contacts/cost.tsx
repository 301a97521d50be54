import { Button, NumberInput, TextInput } from '@mantine/core';
import { useState } from 'react';
import type { ContactCost, PriceLadder } from '../../../shared/contract/cost.ts';
import { useCost } from '../../api/queries/cost.ts';
import { useAct } from '../../api/use-act.ts';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { count, plural } from '../../components/words.ts';
import { ActSteps } from './act-on-found.tsx';

/** What contacts cost, and what archiving those whom no campaign can reach would save. */
export default function Cost() {
  return <Await of={useCost()}>{(cost) => <CostPage cost={cost} />}</Await>;
}

function CostPage({ cost }: { cost: ContactCost }) {
  const [asked, setAsked] = useState(false);
  const money = (amount: number | null): string =>
    amount === null || !cost.ladder
      ? ''
      : `${amount.toLocaleString('en-GB', { minimumFractionDigits: 2 })} ${cost.ladder.currency}`;
  const saves = cost.savingYear !== null && cost.savingYear > 0;
  const headline = saves
    ? `Archiving ${plural(cost.unreachable, 'contact', 'contacts')} saves ${money(cost.savingYear)} a year`
    : `${plural(cost.unreachable, 'contact', 'contacts')} cannot be reached by any campaign`;
  return (
    <>
      <Finding line="Archive and cost" headline={headline}>
        They are undeliverable, suppressed, at sunset, or on no list of any brand. Archived contacts keep their history
        and stay suppressed; they are not counted and not written to, and can be restored.
      </Finding>
      <Leaf margin={<Ladder key={JSON.stringify(cost.ladder)} ladder={cost.ladder} />}>
        <Section head="What counts">
          <table className="ledger">
            <tbody>
              <Row what="Count now" contacts={cost.counted} month={money(cost.monthNow)} />
              <Row what="− whom no campaign can reach" contacts={cost.unreachable} month="" />
              <Row what="Would count" contacts={cost.counted - cost.unreachable} month={money(cost.monthAfter)} />
            </tbody>
          </table>
        </Section>
        <Section head="Archive them">
          <ActSteps selection={{ act: 'archive', standing: 'unreachable' }} />
        </Section>
        {cost.archived > 0 ? (
          <Section
            head={
              <>
                <Door to="/contacts?of=all&archived=yes">{plural(cost.archived, 'contact', 'contacts')}</Door>{' '}
                {cost.archived === 1 ? 'is' : 'are'} archived
              </>
            }
            beside={asked ? undefined : <Button onClick={() => setAsked(true)}>Restore them all</Button>}
          >
            {asked ? (
              <ActSteps selection={{ act: 'restore', standing: 'archived' }} />
            ) : (
              <p className="second">
                One alone is restored on their own page; some, by a file of addresses under Reconcile.
              </p>
            )}
          </Section>
        ) : null}
      </Leaf>
    </>
  );
}

function Row({ what, contacts, month }: { what: string; contacts: number; month: string }) {
  return (
    <tr>
      <td>{what}</td>
      <td className="figure">{count(contacts)}</td>
      <td className="figure second">{month === '' ? '' : `${month} a month`}</td>
    </tr>
  );
}

/** The price of a month by number of contacts, as the contract says. */
function Ladder({ ladder }: { ladder: PriceLadder | null }) {
  const [currency, setCurrency] = useState(ladder?.currency ?? 'EUR');
  const [steps, setSteps] = useState(ladder?.steps ?? [{ from: 0, month: 0 }]);
  const save = useAct((service, wanted: PriceLadder) => service.savePriceLadder(wanted));
  const change = (index: number, part: Partial<PriceLadder['steps'][number]>): void =>
    setSteps(steps.map((step, at) => (at === index ? { ...step, ...part } : step)));
  return (
    <Section head="What a month costs">
      <div className="stack">
        <TextInput
          label="Currency"
          value={currency}
          onChange={(event) => setCurrency(event.currentTarget.value.toUpperCase())}
          maxLength={3}
        />
        {steps.map((step, index) => (
          <div className="row" key={index}>
            <NumberInput
              label="From contacts"
              value={step.from}
              min={0}
              hideControls
              thousandSeparator=","
              onChange={(value) => change(index, { from: Number(value) })}
              w={120}
            />
            <NumberInput
              label="A month"
              value={step.month}
              min={0}
              hideControls
              decimalScale={2}
              onChange={(value) => change(index, { month: Number(value) })}
              w={110}
            />
          </div>
        ))}
        <Button
          onClick={() =>
            setSteps([...steps, { from: (steps.at(-1)?.from ?? 0) + 1000, month: steps.at(-1)?.month ?? 0 }])
          }
        >
          Another step
        </Button>
        <ProblemNote error={save.error} />
        <Button disabled={save.isPending} onClick={() => save.mutate({ currency, steps })}>
          Save the ladder
        </Button>
      </div>
    </Section>
  );
}
