import { Button, TextInput } from '@mantine/core';
import { useState } from 'react';
import type { ScorePreview, ScoreRule, VersionedScore } from '../../../shared/contract/rules.ts';
import { SCORED_ACTS, type ScoredAct } from '../../../shared/words.ts';
import { client } from '../../api/client.ts';
import { useScorePreview, useScoreRule } from '../../api/queries/rules.ts';
import { useAct } from '../../api/use-act.ts';
import { usePaused } from '../../api/use-paused.ts';
import { useTyped } from '../../api/use-typed.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, ProblemNote, Section } from '../../components/page.tsx';
import { count, day } from '../../components/words.ts';
import { TypedNote } from '../../components/typed-note.tsx';
import { Field } from './field.tsx';
import { whoMatch } from '../../components/doors.ts';
import css from './score.module.css';

/** The points of the brand, and how many contacts have which score under them. */
export function Score() {
  const brand = useBrand();
  return (
    <Await of={useScoreRule(brand.id)} rows={4}>
      {(saved) => <Points key={brand.id} saved={saved} />}
    </Await>
  );
}

const WORDS = { acts: 'Points of each act', joining: 'Points of joining' } as const;

/** Points in words. */
function showField(value: ScoreRule['acts'] | ScoreRule['joining']): string {
  if (Array.isArray(value)) return value.map((one) => `${one.act} ${one.points} for ${one.days} days`).join('; ');
  return `${value.points} for ${value.days} days`;
}

function Points({ saved }: { saved: VersionedScore }) {
  const brand = useBrand();
  const form = useTyped(`score ${brand.id}`, sorted(saved.rule), saved.version);
  const { typed: rule, isChanged: changed } = form;
  const [asked] = usePaused(changed ? rule : undefined);
  const preview = useScorePreview(brand.id, asked);
  const save = useAct((_, reason: string) =>
    client.saveScore({ brandId: brand.id, rule, version: form.version, reason }),
  );
  return (
    <Section
      head="Score"
      beside={
        saved.changedBy === null
          ? 'as it comes: nobody has changed it'
          : `${saved.changedBy}, ${day(saved.changedAt!, brand.zone)}: ${saved.reason}`
      }
    >
      {save.isPending ? null : <TypedNote form={form} words={WORDS} show={showField} />}
      <p className="second" style={{ marginTop: 0 }}>
        Points of what a person does, each lasting so many days. Conditions ask for them: <q>score is at least 20</q>.
      </p>
      <div className={css.score}>
        <PointsTable rule={rule} saved={saved.rule} set={(change) => form.set(sorted({ ...rule, ...change }))} />
        <Await of={{ data: preview.data, error: changed ? null : preview.error }} rows={6}>
          {(found) => <Bins found={found} />}
        </Await>
      </div>
      <ProblemNote error={changed && !form.meanwhile ? (save.error ?? preview.error) : null} />
      {changed ? (
        <KeepIt
          key={form.version}
          isKeeping={save.isPending}
          keep={(reason) => save.mutate(reason, { onSuccess: ({ version }) => form.wasKept(version) })}
          putBack={() => {
            form.leaveMine();
            save.reset();
          }}
        />
      ) : null}
    </Section>
  );
}

/** A changed rule is kept with why, or put back. */
function KeepIt({
  isKeeping,
  keep,
  putBack,
}: {
  isKeeping: boolean;
  keep: (reason: string) => void;
  putBack: () => void;
}) {
  const [reason, setReason] = useState('');
  return (
    <form
      className="row"
      style={{ alignItems: 'end', gap: 12, flexWrap: 'wrap' }}
      onSubmit={(event) => {
        event.preventDefault();
        keep(reason);
      }}
    >
      <TextInput
        label="Why"
        description="Kept with the score, with your name."
        value={reason}
        onChange={(event) => setReason(event.currentTarget.value)}
        style={{ flex: '1 1 260px' }}
      />
      <button
        type="submit"
        className="main-button"
        disabled={reason.trim() === '' || isKeeping}
        style={{ width: 'auto' }}
      >
        {isKeeping ? 'Keeping …' : 'Keep this score'}
      </button>
      <Button onClick={putBack}>Put back as it was</Button>
    </form>
  );
}

/** A rule with its acts in the order of the table, and only those that give something. */
function sorted({ acts, joining }: ScoreRule): ScoreRule {
  const given = SCORED_ACTS.flatMap((act) => acts.filter((one) => one.act === act && one.points !== 0));
  return {
    acts: given.map(({ act, points, days }) => ({ act, points, days })),
    joining: { points: joining.points, days: joining.days },
  };
}

const UNSCORED = { points: 0, days: 30 };

function PointsTable({
  rule,
  saved,
  set,
}: {
  rule: ScoreRule;
  saved: ScoreRule;
  set: (change: Partial<ScoreRule>) => void;
}) {
  const of = (one: ScoreRule, act: ScoredAct) => one.acts.find((line) => line.act === act) ?? { act, ...UNSCORED };
  const change = (act: ScoredAct, to: Partial<typeof UNSCORED>): void =>
    set({ acts: [...rule.acts.filter((line) => line.act !== act), { ...of(rule, act), ...to }] });
  const line = (
    name: string,
    now: typeof UNSCORED,
    was: typeof UNSCORED,
    move: (to: Partial<typeof UNSCORED>) => void,
  ) => (
    <tr key={name}>
      <td>{name}</td>
      <td>
        <Field
          label={`Points of ${name}`}
          min={-1000}
          max={1000}
          value={now.points}
          was={was.points}
          onChange={(points) => move({ points })}
        />
      </td>
      <td>
        {now.points === 0 ? null : (
          <Field
            label={`Days that ${name} lasts`}
            min={1}
            value={now.days}
            was={was.points === 0 ? now.days : was.days}
            onChange={(days) => move({ days })}
          />
        )}
      </td>
    </tr>
  );
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>For</th>
          <th>Points</th>
          <th>Lasting, days</th>
        </tr>
      </thead>
      <tbody>
        {SCORED_ACTS.map((act) => line(act, of(rule, act), of(saved, act), (to) => change(act, to)))}
        {line('joining', rule.joining, saved.joining, (to) => set({ joining: { ...rule.joining, ...to } }))}
      </tbody>
    </table>
  );
}

function Bins({ found: { bins } }: { found: ScorePreview }) {
  const most = Math.max(1, ...bins.map(({ wouldBe }) => wouldBe));
  return (
    <table className="rows">
      <thead>
        <tr>
          <th>Score</th>
          <th>How many</th>
          <th className="figure">Now</th>
          <th className="figure">Would be</th>
        </tr>
      </thead>
      <tbody>
        {bins.map(({ from, now, wouldBe }, index) => {
          const next = bins[index + 1]?.from ?? null;
          const words =
            from === null
              ? `under ${next}`
              : next === null
                ? `${from} and more`
                : next === from + 1
                  ? `${from}`
                  : `${from} to ${next - 1}`;
          const condition = [
            ...(from === null ? [] : [`score is at least ${from}`]),
            ...(next === null ? [] : [`score is less than ${next}`]),
          ].join(' and ');
          return (
            <tr key={words}>
              <td>{words}</td>
              <td style={{ width: 120 }}>
                {wouldBe === 0 ? null : (
                  <span className={css.scoreBar} style={{ width: `${(100 * wouldBe) / most}%` }} />
                )}
              </td>
              <td className="figure">
                <Door to={whoMatch(condition)}>{count(now)}</Door>
              </td>
              <td className="figure" style={{ fontWeight: now === wouldBe ? 400 : 600 }}>
                {count(wouldBe)}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
