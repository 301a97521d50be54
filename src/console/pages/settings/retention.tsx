import { Button, NumberInput } from '@mantine/core';
import { useState } from 'react';
import { RETENTION_WORDS, type Retention as Kept, type RetentionState } from '../../../shared/retention.ts';
import { useRetention } from '../../api/queries/organisation.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { Await, ProblemNote, Section } from '../../components/page.tsx';
import { moment, plural } from '../../components/words.ts';

const FIELDS = Object.entries(RETENTION_WORDS) as [keyof Kept, string][];

/** For how long things are kept, and what the last sweep took away. */
export function Retention() {
  const [open, setOpen] = useState(false);
  return (
    <Section
      head="How long things are kept"
      beside={
        <button type="button" className="act" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? 'Leave it' : 'Change'}
        </button>
      }
    >
      <Await of={useRetention()} rows={4}>
        {(state) => (
          <>
            {open ? (
              <RetentionForm state={state} done={() => setOpen(false)} />
            ) : (
              <table className="ledger">
                <tbody>
                  {FIELDS.map(([field, words]) => (
                    <tr key={field}>
                      <td>{words}</td>
                      <td className="figure">{plural(state[field], 'day', 'days')}</td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )}
            <SweptNote state={state} />
          </>
        )}
      </Await>
    </Section>
  );
}

function SweptNote({ state: { swept } }: { state: RetentionState }) {
  const { zone } = useBrand();
  if (swept === null) return <p className="second">Nothing has been taken away yet; it is done at night.</p>;
  return (
    <p className="second">
      Last swept {moment(swept.at, zone)}: {plural(swept.acts, 'act', 'acts')} and{' '}
      {plural(swept.signUps, 'sign-up', 'sign-ups')} without where they came from,{' '}
      {plural(swept.rawReturns, 'message', 'messages')},{' '}
      {plural(swept.unmatched, 'unmatched return', 'unmatched returns')}, {plural(swept.files, 'file', 'files')}.
    </p>
  );
}

function RetentionForm({ state, done }: { state: RetentionState; done: () => void }) {
  const [days, setDays] = useState<Kept>({
    networkDays: state.networkDays,
    rawReturnDays: state.rawReturnDays,
    unmatchedDays: state.unmatchedDays,
    fileDays: state.fileDays,
  });
  const save = useAct((client, _: void) => client.saveRetention(days).then(done));
  return (
    <form
      className="stack"
      onSubmit={(event) => {
        event.preventDefault();
        save.mutate(undefined);
      }}
    >
      {FIELDS.map(([field, words]) => (
        <NumberInput
          key={field}
          label={`${words.charAt(0).toUpperCase()}${words.slice(1)}`}
          suffix=" days"
          min={1}
          max={3650}
          allowDecimal={false}
          value={days[field]}
          onChange={(value) => typeof value === 'number' && setDays({ ...days, [field]: value })}
        />
      ))}
      <p className="second">What is older then is taken away the next night, for good. What reports need stays.</p>
      <ProblemNote error={save.error} />
      <span className="row">
        <Button type="submit" loading={save.isPending}>
          Keep
        </Button>
      </span>
    </form>
  );
}
