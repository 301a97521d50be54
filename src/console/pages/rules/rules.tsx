import { Button, TextInput } from '@mantine/core';
import { useState } from 'react';
import { Refusal } from '../../../client/calls.ts';
import type { SunsetPreview, SunsetRule } from '../../../shared/api-rules.ts';
import { client } from '../../api/client.ts';
import { useSunsetPreview, useSunsetRule } from '../../api/queries.ts';
import { useAct } from '../../api/use-act.ts';
import { useLasting, usePaused } from '../../api/use-paused.ts';
import { useBrand } from '../../brand.tsx';
import { FourSteps } from '../../components/four-steps.tsx';
import { Stage } from '../../components/marks.tsx';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { Silence } from '../../components/silence.tsx';
import { count, plural } from '../../components/words.ts';
import { Bounces } from './bounces.tsx';
import { CHANGED, Field } from './field.tsx';
import { Score } from './score.tsx';

/** The ladder of the brand: who would move, under the saved rule or one that is being tried; then the bounce rule. */
export default function Rules() {
  const brand = useBrand();
  return (
    <Await of={useSunsetRule(brand.id)}>
      {(saved) => <Ladder key={`${brand.id} ${saved.version}`} saved={saved.rule} />}
    </Await>
  );
}

function Ladder({ saved }: { saved: SunsetRule }) {
  const brand = useBrand();
  const [rule, setRule] = useState(saved);
  const [asked, isAsked] = usePaused(rule);
  const preview = useSunsetPreview(brand.id, asked);
  const isCounting = useLasting(preview.isFetching);
  // What was last counted stays, and what was typed with it, when a changed rule cannot be.
  const [counted, setCounted] = useState(preview.data);
  if (preview.data && preview.data !== counted) setCounted(preview.data);
  const changed = JSON.stringify(rule) !== JSON.stringify(saved);
  const apply = useAct((_, given: { expected: number; reason: string }) =>
    client.applySunset(brand.id, given.expected, given.reason, changed ? rule : undefined),
  );
  const move = (stage: string, change: { days?: number; messages?: number }): void =>
    setRule((was) => ({
      ...was,
      steps: was.steps.map((step) => (step.stage === stage ? { ...step, ...change } : step)),
    }));
  return (
    <Await of={{ data: preview.data ?? counted, error: preview.error }} rows={12}>
      {(found) => (
        <>
          <Finding line={`Ladder by silence, ${brand.name}${changed ? ', changed and not yet applied' : ''}${isCounting ? ', counting …' : ''}`} headline={found.moving === 0 ? 'Everybody stands where the ladder puts them' : `${plural(found.moving, 'contact', 'contacts')} would move, ${count(found.toSunset)} to sunset`}>
            Until {rule.grace.days} days since joining and {rule.grace.messages} messages a newcomer is left alone: {count(found.stages[0]!.wouldBe)} are still new, and are not drawn here.
          </Finding>
          <ProblemNote error={isOfCoverage(preview.error) ? null : preview.error} />
          <Leaf margin={<Margin found={found} isOfAnother={!isAsked || preview.isPlaceholderData} changed={changed} onBack={() => setRule(saved)} apply={(expected, reason) => apply.mutateAsync({ expected, reason })} />}>
            <Section head="Days of silence" beside="solid: silent; outlined: silent, but not written to enough to move">
              <Silence bins={found.silence} rule={rule} saved={saved} onMove={(stage, days) => move(stage, { days })} />
            </Section>
            <Table found={found} rule={rule} saved={saved} move={move} setGrace={(grace) => setRule({ ...rule, grace })} />
            <Coverage rule={rule} saved={saved} error={isOfCoverage(preview.error) ? preview.error : null} set={(covers) => setRule({ ...rule, covers })} />
            <Bounces />
            <Score />
          </Leaf>
        </>
      )}
    </Await>
  ); // prettier-ignore
}

/** Whether what was refused is the condition of whom the ladder covers, to be said beside it. */
function isOfCoverage(error: unknown): boolean {
  return error instanceof Refusal && ['condition', 'rule.covers'].includes(String(error.problem['field']));
}

/** Whom the ladder covers; taken on Enter or on leaving the field, so that half a condition is not asked about. */
function Coverage({ rule, saved, error, set }: { rule: SunsetRule; saved: SunsetRule; error: unknown; set: (covers: string | null) => void }) {
  const now = rule.covers ?? '';
  const [text, setText] = useState(now);
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
} // prettier-ignore

interface TableProps {
  found: SunsetPreview;
  rule: SunsetRule;
  saved: SunsetRule;
  move: (stage: string, change: { days?: number; messages?: number }) => void;
  setGrace: (grace: SunsetRule['grace']) => void;
}

function Table({ found, rule, saved, move, setGrace }: TableProps) {
  const figures = (stage: string) => found.stages.find((one) => one.stage === stage)!;
  const cells = (stage: string) => {
    const { now, wouldBe } = figures(stage);
    return (
      <>
        <td className="figure"><Door to={`/contacts?stage=${stage}`}>{count(now)}</Door></td>
        <td className="figure" style={{ fontWeight: now === wouldBe ? 400 : 600 }}>{count(wouldBe)}</td>
      </>
    ); // prettier-ignore
  };
  return (
    <Section head="Ladder" beside={`Engaged again by: ${rule.engagingActs.join(', ')}, by a person`}>
      <div style={{ overflowX: 'auto' }}>
        <table className="rows">
          <thead>
            <tr><th>Stage</th><th>Days of silence, from</th><th>Messages in it, from</th><th className="figure">Now</th><th className="figure">Would be</th></tr>
          </thead>
          <tbody>
            <tr>
              <td><Stage stage="new" /></td>
              <td><Field label="Days of grace" value={rule.grace.days} was={saved.grace.days} onChange={(days) => setGrace({ ...rule.grace, days })} /></td>
              <td><Field label="Messages of grace" value={rule.grace.messages} was={saved.grace.messages} onChange={(messages) => setGrace({ ...rule.grace, messages })} /></td>
              {cells('new')}
            </tr>
            <tr>
              <td><Stage stage="engaged" /></td>
              <td className="second">under {rule.steps[0]!.days}</td>
              <td />
              {cells('engaged')}
            </tr>
            {rule.steps.map((step, index) => (
              <tr key={step.stage}>
                <td><Stage stage={step.stage} /></td>
                <td><Field label={`Days until ${step.stage}`} value={step.days} was={saved.steps[index]!.days} onChange={(days) => move(step.stage, { days })} /></td>
                <td><Field label={`Messages until ${step.stage}`} value={step.messages} was={saved.steps[index]!.messages} onChange={(messages) => move(step.stage, { messages })} /></td>
                {cells(step.stage)}
              </tr>
            ))}
          </tbody>
          <tfoot>
            <tr><td>Everyone covered</td><td /><td /><td className="figure">{count(found.covered)}</td><td className="figure">{count(found.covered)}</td></tr>
          </tfoot>
        </table>
      </div>
    </Section>
  ); // prettier-ignore
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
    <li key={`${flow.from} ${flow.to}`} className="row" style={{ justifyContent: 'space-between', padding: '3px 0' }}>
      <span className="row" style={{ gap: 6 }}><Stage stage={flow.from} /> → <Stage stage={flow.to} /></span>
      <span>{count(flow.contacts)}</span>
    </li>
  )); // prettier-ignore
  return (
    <section className="section">
      <FourSteps expected={found.moving} isOfAnother={isOfAnother} what="Move" apply={apply} change={<><p>Each moves to their stage. Those who come to sunset get an entry on the sunset list, and get no more marketing; those who leave it are lifted.</p><ul style={{ listStyle: 'none', padding: 0 }}>{flows}</ul></>}>
        <h2>Who would move: {count(found.moving)}</h2>
        <ul style={{ listStyle: 'none', padding: 0, margin: 0 }}>{flows}</ul>
        {found.sample.length > 0 ? <Sample sample={found.sample} /> : <p className="second">Everybody stands where the rule puts them.</p>}
      </FourSteps>
      {changed ? <Button mt="xs" fullWidth onClick={onBack}>Put back as it was</Button> : null}
    </section>
  ); // prettier-ignore
}

function Sample({ sample }: { sample: SunsetPreview['sample'] }) {
  return (
    <table className="rows" style={{ fontSize: 14 }}>
      <thead>
        <tr><th>{sample.length} of them</th><th className="figure">Days</th><th className="figure">Messages</th><th className="figure">Move</th></tr>
      </thead>
      <tbody>
        {sample.slice(0, 20).map((one) => (
          <tr key={one.contactId}>
            <td><Door to={`/contacts/${one.contactId}`}>{one.name ?? one.address}</Door></td>
            <td className="figure">{count(one.silentDays)}</td>
            <td className="figure">{count(one.messages)}</td>
            <td className="figure"><Stage stage={one.from} bare /> → <Stage stage={one.to} bare /></td>
          </tr>
        ))}
      </tbody>
    </table>
  ); // prettier-ignore
}
