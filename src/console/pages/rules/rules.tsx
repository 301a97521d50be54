import { Button, TextInput } from '@mantine/core';
import { useState } from 'react';
import { Refusal } from '../../../client/send.ts';
import type { SunsetPreview, SunsetRule } from '../../../shared/contract/rules.ts';
import { client } from '../../api/client.ts';
import { useSunsetPreview, useSunsetRule } from '../../api/queries/rules.ts';
import { useAct } from '../../api/use-act.ts';
import { useLasting, usePaused } from '../../api/use-paused.ts';
import { useTyped } from '../../api/use-typed.ts';
import { useBrand } from '../../brand.tsx';
import { FourSteps } from '../../components/four-steps.tsx';
import { Stage } from '../../components/marks.tsx';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { Silence } from '../../components/silence.tsx';
import { TypedNote } from '../../components/typed-note.tsx';
import { count, plural } from '../../components/words.ts';
import { Bounces } from './bounces.tsx';
import { BrakeOfBrand } from './brake.tsx';
import { Caps } from './caps.tsx';
import { Exclusions } from './exclusions.tsx';
import { CHANGED, Field } from './field.tsx';
import { Score } from './score.tsx';

/** The ladder of the brand: who would move, under the saved rule or one that is being tried; then the bounce rule. */
export default function Rules() {
  const brand = useBrand();
  return (
    <Await of={useSunsetRule(brand.id)}>
      {({ rule, version }) => <Ladder key={brand.id} saved={rule} version={version} />}
    </Await>
  );
}

const WORDS = {
  steps: 'Days and messages until each stage',
  grace: 'Grace of newcomers',
  engagingActs: 'What engages again',
  covers: 'Whom it covers',
} as const;

/** A field of the ladder in words. */
function showField(value: SunsetRule[keyof SunsetRule]): string {
  if (value === null || value === undefined) return 'everybody';
  if (typeof value === 'string') return value;
  if (!Array.isArray(value)) return `${value.days} days, ${value.messages} messages`;
  return value
    .map((one) => (typeof one === 'string' ? one : `${one.stage}: ${one.days} days, ${one.messages} messages`))
    .join('; ');
}

/** The rule as it is typed, and what it would do as soon as the typing rests. */
function useTriedLadder(saved: SunsetRule, version: number) {
  const brand = useBrand();
  const form = useTyped(`ladder ${brand.id}`, saved, version);
  const [asked, isAsked] = usePaused(form.typed);
  const preview = useSunsetPreview(brand.id, asked);
  const isCounting = useLasting(preview.isFetching);
  // What was last counted stays, and what was typed with it, when a changed rule cannot be.
  const [counted, setCounted] = useState(preview.data);
  if (preview.data && preview.data !== counted) setCounted(preview.data);
  const apply = useAct((_, given: { expected: number; reason: string }) =>
    client.applySunset({
      brandId: brand.id,
      expect: given.expected,
      reason: given.reason,
      rule: form.isChanged ? form.typed : undefined,
      version: form.version,
    }),
  );
  const found = { data: preview.data ?? counted, error: preview.error };
  return { form, found, isCounting, isOfAnother: !isAsked || preview.isPlaceholderData, apply };
}

function Ladder({ saved, version }: { saved: SunsetRule; version: number }) {
  const brand = useBrand();
  const { form, found: awaited, isCounting, isOfAnother, apply } = useTriedLadder(saved, version);
  const { typed: rule, set: setRule, isChanged: changed } = form;
  const problem = awaited.error;
  const move = (stage: string, change: { days?: number; messages?: number }): void =>
    setRule({ steps: rule.steps.map((step) => (step.stage === stage ? { ...step, ...change } : step)) });
  return (
    <Await of={awaited} rows={12}>
      {(found) => (
        <>
          <Finding
            line={`Ladder by silence, ${brand.name}${changed ? ', changed and not yet applied' : ''}${isCounting ? ', counting …' : ''}`}
            headline={
              found.moving === 0
                ? 'Everybody stands where the ladder puts them'
                : `${plural(found.moving, 'contact', 'contacts')} would move, ${count(found.toSunset)} to sunset`
            }
          >
            Until {rule.grace.days} days since joining and {rule.grace.messages} messages a newcomer is left alone:{' '}
            {count(found.stages[0]!.wouldBe)} are still new, and are not drawn here.
          </Finding>
          {apply.isPending ? null : <TypedNote form={form} words={WORDS} show={showField} />}
          <ProblemNote error={isOfCoverage(problem) ? null : problem} />
          <Leaf
            margin={
              <Margin
                found={found}
                isOfAnother={isOfAnother}
                changed={changed}
                onBack={form.leaveMine}
                apply={(expected, reason) => apply.mutateAsync({ expected, reason })}
              />
            }
          >
            <Section head="Days of silence" beside="solid: silent; outlined: silent, but not written to enough to move">
              <Silence bins={found.silence} rule={rule} saved={saved} onMove={(stage, days) => move(stage, { days })} />
            </Section>
            <Table found={found} rule={rule} saved={saved} move={move} setGrace={(grace) => setRule({ grace })} />
            <Coverage
              rule={rule}
              saved={saved}
              error={isOfCoverage(problem) ? problem : null}
              set={(covers) => setRule({ covers })}
            />
            <Caps />
            <BrakeOfBrand />
            <Exclusions />
            <Bounces />
            <Score />
          </Leaf>
        </>
      )}
    </Await>
  );
}

/** Whether what was refused is the condition of whom the ladder covers, to be said beside it. */
function isOfCoverage(error: unknown): boolean {
  return error instanceof Refusal && ['condition', 'rule.covers'].includes(String(error.problem['field']));
}

/** Whom the ladder covers; taken on Enter or on leaving the field, so that half a condition is not asked about. */
function Coverage({
  rule,
  saved,
  error,
  set,
}: {
  rule: SunsetRule;
  saved: SunsetRule;
  error: unknown;
  set: (covers: string | null) => void;
}) {
  const now = rule.covers ?? '';
  const [text, setText] = useState(now);
  const [shown, setShown] = useState(now);
  // It is put back, or somebody else's is taken.
  if (shown !== now) {
    setShown(now);
    setText(now);
  }
  const take = (): void => (text.trim() === now ? undefined : set(text.trim() === '' ? null : text.trim()));
  return (
    <Section head="Whom it covers">
      <TextInput
        aria-label="Condition of whom the ladder covers"
        placeholder="everybody on the brand’s lists; or a condition: not purchased in the last 12 months"
        description="Whoever the condition does not match stays new, and no stage stops them."
        styles={now === (saved.covers ?? '') ? {} : { input: CHANGED }}
        value={text}
        onChange={(event) => setText(event.currentTarget.value)}
        onBlur={take}
        onKeyDown={(event) => event.key === 'Enter' && take()}
      />
      <ProblemNote error={error} />
    </Section>
  );
}

interface TableProps {
  found: SunsetPreview;
  rule: SunsetRule;
  saved: SunsetRule;
  move: (stage: string, change: { days?: number; messages?: number }) => void;
  setGrace: (grace: SunsetRule['grace']) => void;
}

function Table({ found, rule, saved, move, setGrace }: TableProps) {
  return (
    <Section head="Ladder" beside={`Engaged again by: ${rule.engagingActs.join(', ')}, by a person`}>
      <div style={{ overflowX: 'auto' }}>
        <table className="rows">
          <thead>
            <tr>
              <th>Stage</th>
              <th>Days of silence, from</th>
              <th>Messages in it, from</th>
              <th className="figure">Now</th>
              <th className="figure">Would be</th>
            </tr>
          </thead>
          <tbody>
            <StageRow
              found={found}
              stage="new"
              given={rule.grace}
              was={saved.grace}
              words={['Days of grace', 'Messages of grace']}
              change={(change) => setGrace({ ...rule.grace, ...change })}
            />
            <tr>
              <td>
                <Stage stage="engaged" />
              </td>
              <td className="second">under {rule.steps[0]!.days}</td>
              <td />
              <StageFigures found={found} stage="engaged" />
            </tr>
            {rule.steps.map((step, index) => (
              <StageRow
                key={step.stage}
                found={found}
                stage={step.stage}
                given={step}
                was={saved.steps[index]!}
                words={[`Days until ${step.stage}`, `Messages until ${step.stage}`]}
                change={(change) => move(step.stage, change)}
              />
            ))}
          </tbody>
          <tfoot>
            <tr>
              <td>Everyone covered</td>
              <td />
              <td />
              <td className="figure">{count(found.covered)}</td>
              <td className="figure">{count(found.covered)}</td>
            </tr>
          </tfoot>
        </table>
      </div>
    </Section>
  );
}

interface StageRowProps {
  found: SunsetPreview;
  stage: SunsetPreview['stages'][number]['stage'];
  given: { days: number; messages: number };
  was: { days: number; messages: number };
  /** What its two fields are called. */
  words: [days: string, messages: string];
  change: (change: { days?: number; messages?: number }) => void;
}

/** A stage with the days and messages from which it begins. */
function StageRow({ found, stage, given, was, words, change }: StageRowProps) {
  return (
    <tr>
      <td>
        <Stage stage={stage} />
      </td>
      <td>
        <Field label={words[0]} value={given.days} was={was.days} onChange={(days) => change({ days })} />
      </td>
      <td>
        <Field
          label={words[1]}
          value={given.messages}
          was={was.messages}
          onChange={(messages) => change({ messages })}
        />
      </td>
      <StageFigures found={found} stage={stage} />
    </tr>
  );
}

/** How many stand at a stage now, and would. */
function StageFigures({ found, stage }: Pick<StageRowProps, 'found' | 'stage'>) {
  const { now, wouldBe } = found.stages.find((one) => one.stage === stage)!;
  return (
    <>
      <td className="figure">
        <Door to={`/contacts?stage=${stage}`}>{count(now)}</Door>
      </td>
      <td className="figure" style={{ fontWeight: now === wouldBe ? 400 : 600 }}>
        {count(wouldBe)}
      </td>
    </>
  );
}

function Margin({
  found,
  isOfAnother,
  changed,
  onBack,
  apply,
}: {
  found: SunsetPreview;
  isOfAnother: boolean;
  changed: boolean;
  onBack: () => void;
  apply: (expected: number, reason: string) => ReturnType<typeof client.applySunset>;
}) {
  const flows = found.flows.map((flow) => (
    <li key={`${flow.from} ${flow.to}`} className="row apart" style={{ padding: '3px 0' }}>
      <span className="row" style={{ gap: 6 }}>
        <Stage stage={flow.from} /> → <Stage stage={flow.to} />
      </span>
      <span>{count(flow.contacts)}</span>
    </li>
  ));
  return (
    <section className="section">
      <FourSteps
        expected={found.moving}
        isOfAnother={isOfAnother}
        what="Move"
        apply={apply}
        change={
          <>
            <p>
              Each moves to their stage. Those who come to sunset get an entry on the sunset list, and get no more
              marketing; those who leave it are lifted.
            </p>
            <ul className="bare" style={{ marginTop: 8 }}>
              {flows}
            </ul>
          </>
        }
      >
        <h2>Who would move: {count(found.moving)}</h2>
        <ul className="bare">{flows}</ul>
        {found.sample.length > 0 ? (
          <Sample sample={found.sample} />
        ) : (
          <p className="second">Everybody stands where the rule puts them.</p>
        )}
      </FourSteps>
      {changed ? (
        <Button mt="xs" fullWidth onClick={onBack}>
          Put back as it was
        </Button>
      ) : null}
    </section>
  );
}

function Sample({ sample }: { sample: SunsetPreview['sample'] }) {
  return (
    <table className="rows" style={{ fontSize: 14 }}>
      <thead>
        <tr>
          <th>{sample.length} of them</th>
          <th className="figure">Days</th>
          <th className="figure">Messages</th>
          <th className="figure">Move</th>
        </tr>
      </thead>
      <tbody>
        {sample.slice(0, 20).map((one) => (
          <tr key={one.contactId}>
            <td>
              <Door to={`/contacts/${one.contactId}`}>{one.name ?? one.address}</Door>
            </td>
            <td className="figure">{count(one.silentDays)}</td>
            <td className="figure">{count(one.messages)}</td>
            <td className="figure">
              <Stage stage={one.from} bare /> → <Stage stage={one.to} bare />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
