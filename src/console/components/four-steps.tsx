import { Button, Textarea, TextInput } from '@mantine/core';
import { useState, type ReactNode } from 'react';
import type { Run } from '../../shared/api.ts';
import { Refusal } from '../../client/calls.ts';
import { ProblemNote } from './page.tsx';
import { FollowedRun } from './run-under-way.tsx';
import { count } from './words.ts';

interface Props {
  /** How many would change, as it is counted now. */
  expected: number;
  /** There is something to apply even when nobody would change: a rule that is to be kept. */
  always?: boolean;
  /** The count is not yet that of what stands there now: it is waited for. */
  isOfAnother?: boolean;
  what: string;
  /** What it will change, in words, for the second step. */
  change: ReactNode;
  /** The count and its sample, for the first step. */
  children?: ReactNode;
  /** Nothing brings it back: the count is to be typed. */
  final?: boolean;
  /** So many of them some brand may still write to, which ends: the count is to be typed, too. */
  mailable?: number;
  apply: (expected: number, reason: string) => Promise<Run>;
}

const NAMES = ['Count', 'Change', 'Reason', 'Apply'];

/** What changes many people at once: count and sample, what it will change, why, and the run with its undo. */
export function FourSteps({
  expected,
  always = false,
  isOfAnother = false,
  what,
  change,
  children,
  final = false,
  mailable = 0,
  apply,
}: Props) {
  const [step, setStep] = useState(0);
  const [reason, setReason] = useState('');
  const [typed, setTyped] = useState('');
  const [typedMailable, setTypedMailable] = useState('');
  const [agreed, setAgreed] = useState(expected);
  const [state, setState] = useState<{
    busy?: boolean;
    error?: unknown;
    moved?: { expected: number; now: number };
    run?: Run;
  }>({});
  const send = async (): Promise<void> => {
    setState({ busy: true });
    try {
      setState({ run: await apply(agreed, reason) });
    } catch (error) {
      const problem = error instanceof Refusal ? (error.problem as { expected?: number; now?: number }) : {};
      if (problem.now === undefined) return setState({ error });
      setAgreed(problem.now);
      setState({ moved: { expected: problem.expected!, now: problem.now } });
    }
  };
  if (state.run) return <FollowedRun begun={state.run} />;
  const confirmed =
    (!final || typed.trim() === String(agreed)) && (mailable === 0 || typedMailable.trim() === String(mailable));
  return (
    <div>
      <div className="steps-line">
        {NAMES.map((name, index) => (
          <span key={name} className={index <= step ? 'inked' : ''} aria-current={index === step ? 'step' : undefined}>
            {name}
          </span>
        ))}
      </div>
      <div className="stack">
        {step === 0 && children}
        {step === 1 && <div>{change}</div>}
        {step >= 2 && <Textarea label="Why" description="Kept in the journal, with your name." value={reason} onChange={(event) => setReason(event.currentTarget.value)} autosize minRows={2} />}
        {step >= 2 && final && <TextInput label={`How many people are these? Type ${agreed}`} value={typed} onChange={(event) => setTyped(event.currentTarget.value)} />}
        {step >= 2 && mailable > 0 && <TextInput label={`How many of them may still be written to? Type ${mailable}`} value={typedMailable} onChange={(event) => setTypedMailable(event.currentTarget.value)} />}
        {state.moved && <div className="moved">The count moved from {count(state.moved.expected)} to {count(state.moved.now)} meanwhile. Apply to {count(state.moved.now)}?</div>}
        <ProblemNote error={state.error} />
        {step < 2 ? (
          <button type="button" className="main-button" disabled={isOfAnother || (expected === 0 && !always)} onClick={() => { setAgreed(expected); setStep(step + 1); }}>
            {step === 0 ? 'See what it would change' : 'Say why'}
          </button>
        ) : (
          <button type="button" className="main-button" disabled={isOfAnother || reason.trim() === '' || !confirmed || state.busy} onClick={() => void send()}>
            {state.busy ? 'Applying …' : `${what} ${count(agreed)}`}
          </button>
        )}
        {step > 0 && <Button onClick={() => setStep(step - 1)}>Back</Button>}
      </div>
    </div>
  ); // prettier-ignore
}
