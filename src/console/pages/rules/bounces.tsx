import { Button, Checkbox, Select } from '@mantine/core';
import { useState } from 'react';
import type { BouncePreview, BounceRule } from '../../../shared/contract/rules.ts';
import type { Run } from '../../../shared/contract/runs.ts';
import { client } from '../../api/client.ts';
import { useBouncePreview, useBounceRule } from '../../api/queries/rules.ts';
import { useAct } from '../../api/use-act.ts';
import { useLasting, usePaused } from '../../api/use-paused.ts';
import { useTyped } from '../../api/use-typed.ts';
import { FourSteps } from '../../components/four-steps.tsx';
import { Await, Door, ProblemNote, Section } from '../../components/page.tsx';
import { count, plural } from '../../components/words.ts';
import { TypedNote } from '../../components/typed-note.tsx';
import { Field } from './field.tsx';

/** Which bounces, besides hard ones by themselves, make an address undeliverable: tried before it is kept. */
export function Bounces() {
  return (
    <Await of={useBounceRule()} rows={3}>
      {({ rule, version }) => <Rule saved={rule} version={version} />}
    </Await>
  );
}

const WORDS = {
  count: 'Bounces',
  classes: 'Which bounces count',
  withinDays: 'Within days',
  onCampaigns: 'On campaigns',
  spreadDays: 'Days apart',
  startsAgain: 'Acceptances start it again',
} as const;

function Rule({ saved, version }: { saved: BounceRule; version: number }) {
  const form = useTyped('bounce rule', saved, version);
  const { typed: rule, isChanged: changed } = form;
  // The run of the latest applying, until something is changed again.
  const [done, setDone] = useState<Run | null>(null);
  const [asked, isAsked] = usePaused(rule);
  const preview = useBouncePreview(asked);
  const isCounting = useLasting(preview.isFetching);
  const set = (change: Partial<BounceRule>): void => {
    form.set(change);
    setDone(null);
  };
  return (
    <Section
      head={`Bounce rule: ${plural(saved.count, 'bounce', 'bounces')}${saved.withinDays > 0 ? ` within ${saved.withinDays} days` : ', whenever'}, on ${plural(saved.onCampaigns, 'campaign', 'campaigns')}, make an address undeliverable`}
      beside={changed ? <Button onClick={form.leaveMine}>As it is</Button> : undefined}
    >
      <TypedNote
        form={form}
        words={WORDS}
        show={(value) =>
          Array.isArray(value) ? value.join(' and ') : value === true ? 'yes' : value === false ? 'no' : String(value)
        }
      />
      <p className="second">
        A hard bounce marks at once; a block never counts.{' '}
        {saved.startsAgain
          ? 'Any acceptance that stands, or any act of the person, starts the count again.'
          : 'Only a verified delivery, or a person, starts the count again.'}
      </p>
      <RuleFields rule={rule} saved={saved} set={set} />
      <ProblemNote error={preview.error} />
      {isCounting ? (
        <p className="second" role="status">
          Counting …
        </p>
      ) : null}
      {done ? (
        <p role="status">
          Applied as <Door to={`/runs/${done.id}`}>run {done.id}</Door>, which can be undone.
        </p>
      ) : null}
      {preview.data ? (
        <WouldChange
          preview={preview.data}
          isOfAnother={!isAsked || preview.isPlaceholderData}
          rule={changed ? rule : undefined}
          version={form.version}
          done={setDone}
          isDone={done !== null}
        />
      ) : null}
    </Section>
  );
}

/** The rule as a sentence with its figures to be filled in. */
function RuleFields({
  rule,
  saved,
  set,
}: {
  rule: BounceRule;
  saved: BounceRule;
  set: (change: Partial<BounceRule>) => void;
}) {
  return (
    <>
      <div className="row" style={{ gap: 8, margin: '8px 0' }}>
        <Field
          label="Bounces"
          value={rule.count}
          was={saved.count}
          min={1}
          max={100}
          onChange={(value) => set({ count: value })}
        />
        <Classes classes={rule.classes} set={(classes) => set({ classes })} />
        within
        <Field
          label="Days, 0 for whenever"
          value={rule.withinDays}
          was={saved.withinDays}
          onChange={(value) => set({ withinDays: value })}
        />
        days, on
        <Field
          label="Different campaigns"
          value={rule.onCampaigns}
          was={saved.onCampaigns}
          min={1}
          max={100}
          onChange={(value) => set({ onCampaigns: value })}
        />
        campaigns,
        <Field
          label="Days from the first to the last"
          value={rule.spreadDays}
          was={saved.spreadDays}
          max={365}
          onChange={(value) => set({ spreadDays: value })}
        />
        days apart
      </div>
      <Checkbox
        label="Any acceptance that stands, or any act of the person, starts the count again"
        checked={rule.startsAgain}
        onChange={(event) => set({ startsAgain: event.currentTarget.checked })}
      />
    </>
  );
}

function Classes({ classes, set }: { classes: BounceRule['classes']; set: (classes: BounceRule['classes']) => void }) {
  return (
    <Select
      aria-label="Which bounces count"
      allowDeselect={false}
      data={[
        { value: 'soft', label: 'soft bounces' },
        { value: 'soft hard', label: 'soft and hard bounces' },
      ]}
      value={classes.includes('hard') ? 'soft hard' : 'soft'}
      onChange={(value) => set(value === 'soft' ? ['soft'] : ['soft', 'hard'])}
      w={190}
    />
  );
}

function WhoseMark({ sample }: Pick<BouncePreview, 'sample'>) {
  return (
    <table className="rows folds" style={{ maxWidth: 640 }}>
      <tbody>
        {sample.map((one) => (
          <tr key={one.contactId}>
            <td>
              <Door to={`/contacts/${one.contactId}`}>{one.address}</Door>
            </td>
            <td className="second">
              {one.from} to {one.to}
            </td>
            <td className="figure second">{plural(one.bounces, 'bounce', 'bounces')}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Whose mark would change, and the four steps; a changed rule can be kept also when nobody's does. */
function WouldChange({
  preview,
  isOfAnother,
  rule,
  version,
  done,
  isDone,
}: {
  preview: BouncePreview;
  isOfAnother: boolean;
  rule: BounceRule | undefined;
  version: number;
  done: (run: Run) => void;
  isDone: boolean;
}) {
  const expected = preview.toUndeliverable + preview.toDeliverable;
  const apply = useAct((_, given: { expected: number; reason: string }) =>
    client.applyBounce({ expect: given.expected, reason: given.reason, rule, version }),
  );
  return (
    <>
      <p>
        {count(preview.toUndeliverable)} would become undeliverable now, {count(preview.toDeliverable)} deliverable
        again.
      </p>
      {preview.sample.length === 0 ? null : <WhoseMark sample={preview.sample} />}
      {isDone || (expected === 0 && !rule) ? null : (
        <div style={{ maxWidth: 520, marginTop: 12 }}>
          <FourSteps
            expected={expected}
            isOfAnother={isOfAnother}
            always={rule !== undefined}
            what="Mark"
            change={
              <p>
                {rule ? 'The rule is kept as you changed it. ' : ''}
                {count(preview.toUndeliverable)} become undeliverable and get nothing any more;{' '}
                {count(preview.toDeliverable)} are written to again.
              </p>
            }
            apply={(seen, reason) => apply.mutateAsync({ expected: seen, reason }, { onSuccess: done })}
          />
        </div>
      )}
    </>
  );
}
