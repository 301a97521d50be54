import { Button, Checkbox, NumberInput, Select, TextInput } from '@mantine/core';
import type { Campaign, WaveOf, WavePlan, WaveTest } from '../../../shared/contract/campaigns.ts';
import { ENGAGED_FIRST } from '../../../shared/waves.ts';

type Times = Pick<Campaign, 'sendWindow' | 'waves'>;
type Change = (of: Partial<Times>) => void;

/** When a campaign is sent once it has started, and in which parts. */
export function TimeFields({ sendWindow, waves, change }: Times & { change: Change }) {
  return (
    <>
      <WindowFields sendWindow={sendWindow} change={change} />
      <WavesFields waves={waves} change={change} />
    </>
  );
}

const DAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];
const OFFICE_HOURS = { days: [1, 2, 3, 4, 5], from: '09:00', until: '18:00' };

function WindowFields({ sendWindow, change }: Pick<Times, 'sendWindow'> & { change: Change }) {
  return (
    <div className="stack" role="group" aria-label="Hours">
      <h3>Hours</h3>
      <Checkbox
        label="Only at certain hours, by the brand’s clock"
        description="Outside them the campaign rests, and goes on by itself."
        checked={sendWindow !== null}
        onChange={(event) => change({ sendWindow: event.currentTarget.checked ? OFFICE_HOURS : null })}
      />
      {sendWindow ? (
        <span className="row">
          {DAYS.map((name, index) => (
            <Checkbox
              key={name}
              label={name}
              checked={sendWindow.days.includes(index + 1)}
              onChange={(event) => {
                const others = sendWindow.days.filter((day) => day !== index + 1);
                const days = event.currentTarget.checked ? [...others, index + 1].sort() : others;
                change({ sendWindow: { ...sendWindow, days } });
              }}
            />
          ))}
          <TextInput
            aria-label="From"
            type="time"
            value={sendWindow.from}
            onChange={(event) => change({ sendWindow: { ...sendWindow, from: event.currentTarget.value } })}
          />
          to
          <TextInput
            aria-label="Until"
            type="time"
            value={sendWindow.until}
            onChange={(event) => change({ sendWindow: { ...sendWindow, until: event.currentTarget.value } })}
          />
        </span>
      ) : null}
    </div>
  );
}

const TENTH_FIRST: WavePlan[] = [{ ...ENGAGED_FIRST[0]!, of: { share: 0.1 } }, ENGAGED_FIRST[1]!];
const PLANS = { once: null, engaged: ENGAGED_FIRST, tenth: TENTH_FIRST };
/** A plan in a form in which it is the same however it was kept. */
const said = (waves: WavePlan[] | null): string =>
  JSON.stringify(
    waves?.map(({ of, afterHours, at, test }) => [
      of,
      afterHours,
      at,
      test && [test.delivered, test.hard, test.block, test.complaints, test.unsubscribed, test.fewHard],
    ]) ?? null,
  );

function WavesFields({ waves, change }: Pick<Times, 'waves'> & { change: Change }) {
  const set = (index: number, of: Partial<WavePlan>): void =>
    change({ waves: waves!.map((wave, place) => (place === index ? { ...wave, ...of } : wave)) });
  const chosen =
    (Object.keys(PLANS) as (keyof typeof PLANS)[]).find((plan) => said(PLANS[plan]) === said(waves)) ?? 'own';
  return (
    <div className="stack" role="group" aria-label="Parts">
      <h3>Parts</h3>
      <Select
        aria-label="In which parts"
        data={[
          { value: 'once', label: 'Everybody at once' },
          { value: 'engaged', label: 'The engaged first, the rest 24 hours later if that went well' },
          { value: 'tenth', label: 'A tenth by chance first, the rest 24 hours later if that went well' },
          ...(chosen === 'own' ? [{ value: 'own', label: 'As it stands below' }] : []),
        ]}
        value={chosen}
        onChange={(value) =>
          value === null || value === 'own' ? undefined : change({ waves: PLANS[value as keyof typeof PLANS] })
        }
        allowDeselect={false}
        w={520}
        maw="100%"
      />
      {waves?.map((wave, index) => (
        <WaveRow
          key={index}
          number={index + 1}
          wave={wave}
          isLast={index === waves.length - 1}
          set={(of) => set(index, of)}
          remove={
            waves.length > 2 && index < waves.length - 1 ? () => change({ waves: withoutWave(waves, index) }) : null
          }
        />
      ))}
      {waves && waves.length < 10 ? (
        <Button variant="subtle" onClick={() => change({ waves: withAnother(waves) })}>
          Another wave before the rest
        </Button>
      ) : null}
    </div>
  );
}

/** Whoever comes to be first waits for none. */
function withoutWave(waves: WavePlan[], index: number): WavePlan[] {
  const left = waves.filter((_, place) => place !== index);
  return left.map((wave, place) => (place === 0 ? { ...wave, afterHours: null, at: null, test: null } : wave));
}

function withAnother(waves: WavePlan[]): WavePlan[] {
  const another: WavePlan = { of: { share: 0.2 }, afterHours: 24, at: null, test: ENGAGED_FIRST[1]!.test };
  return [...waves.slice(0, -1), another, waves.at(-1)!];
}

interface RowProps {
  number: number;
  wave: WavePlan;
  isLast: boolean;
  set: (of: Partial<WavePlan>) => void;
  remove: (() => void) | null;
}

function WaveRow({ number, wave, isLast, set, remove }: RowProps) {
  return (
    <div className="sheet stack" role="group" aria-label={`Wave ${number}`}>
      <span className="row">
        <strong>Wave {number}</strong>
        {isLast ? <span>the rest</span> : <WhoField of={wave.of} set={(of) => set({ of })} />}
        {number > 1 ? (
          wave.at ? (
            <span className="second">at {wave.at}</span>
          ) : (
            <NumberInput
              aria-label={`Hours until wave ${number}`}
              min={0}
              max={8784}
              value={wave.afterHours ?? 24}
              onChange={(value) => set({ afterHours: Number(value) })}
              suffix=" hours after the one before"
              w={260}
            />
          )
        ) : (
          <span className="second">begins with the campaign</span>
        )}
        {remove ? (
          <button type="button" className="act" aria-label={`Remove wave ${number}`} onClick={remove}>
            Remove
          </button>
        ) : null}
      </span>
      {number > 1 ? <TestFields number={number} test={wave.test} set={(test) => set({ test })} /> : null}
    </div>
  );
}

function WhoField({ of, set }: { of: WaveOf; set: (of: WaveOf) => void }) {
  return (
    <>
      <Select
        aria-label="Who"
        data={[
          { value: 'condition', label: 'whom a condition matches' },
          { value: 'share', label: 'so many by chance' },
        ]}
        value={'share' in of ? 'share' : 'condition'}
        onChange={(value) => set(value === 'share' ? { share: 0.1 } : { condition: 'stage is engaged' })}
        allowDeselect={false}
        w={230}
      />
      {'share' in of ? (
        <NumberInput
          aria-label="Share"
          min={1}
          max={100}
          value={Number((100 * of.share).toFixed(2))}
          onChange={(value) => set({ share: Number(value) / 100 })}
          suffix=" %"
          w={110}
        />
      ) : (
        <TextInput
          aria-label="Condition"
          value={'condition' in of ? of.condition : ''}
          onChange={(event) => set({ condition: event.currentTarget.value })}
          w={300}
        />
      )}
    </>
  );
}

const LIMITS = [
  ['hard', 'Hard at most'],
  ['block', 'Blocked at most'],
  ['complaints', 'Complaints at most'],
  ['unsubscribed', 'Unsubscribed at most'],
] as const;

function TestFields({
  number,
  test,
  set,
}: {
  number: number;
  test: WaveTest | null;
  set: (test: WaveTest | null) => void;
}) {
  return (
    <>
      <Checkbox
        label="Only if the one before went well; else it waits for somebody to decide"
        checked={test !== null}
        onChange={(event) => set(event.currentTarget.checked ? ENGAGED_FIRST[1]!.test : null)}
      />
      {test ? (
        <span className="row">
          {LIMITS.map(([name, label]) => (
            <NumberInput
              key={name}
              label={label}
              aria-label={`${label}, wave ${number}`}
              min={0}
              max={100}
              decimalScale={2}
              step={0.1}
              suffix=" %"
              placeholder="not asked"
              value={test[name] === null ? '' : Number((100 * test[name]).toFixed(2))}
              onChange={(value) => set({ ...test, [name]: value === '' ? null : Number(value) / 100 })}
              w={150}
            />
          ))}
          <NumberInput
            label="Of so many delivered"
            aria-label={`Delivered, wave ${number}`}
            min={1}
            value={test.delivered}
            onChange={(value) => set({ ...test, delivered: Number(value) || 1 })}
            w={150}
          />
          <NumberInput
            label="Of fewer: hard under"
            aria-label={`Fewer hard, wave ${number}`}
            min={1}
            placeholder="asks you"
            value={test.fewHard ?? ''}
            onChange={(value) => set({ ...test, fewHard: value === '' ? null : Number(value) })}
            w={150}
          />
        </span>
      ) : null}
      {test ? (
        <span className="second">
          With fewer delivered it waits for you; or, if the last number is given, goes on when fewer bounced hard and
          nobody complained.
        </span>
      ) : null}
    </>
  );
}
