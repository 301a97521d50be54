import { Button, Textarea } from '@mantine/core';
import { useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { Refusal } from '../../client/calls.ts';
import { ProblemNote } from './page.tsx';
import { changedWords, count } from './words.ts';

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
  apply: (expected: number, reason: string) => Promise<{ id: number; counts: Record<string, number> }>;
}

const NAMES = ['Count', 'Change', 'Reason', 'Apply'];

/** What changes many people at once: count and sample, what it will change, why, and the run with its undo. */
export function FourSteps({ expected, always = false, isOfAnother = false, what, change, children, apply }: Props) {
  const [step, setStep] = useState(0);
  const [reason, setReason] = useState('');
  const [agreed, setAgreed] = useState(expected);
  const [state, setState] = useState<{
    busy?: boolean;
    error?: unknown;
    moved?: { expected: number; now: number };
    run?: { id: number; counts: Record<string, number> };
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
  if (state.run) return <Done run={state.run} />;
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
        {state.moved && <div className="moved">The count moved from {count(state.moved.expected)} to {count(state.moved.now)} meanwhile. Apply to {count(state.moved.now)}?</div>}
        <ProblemNote error={state.error} />
        {step < 2 ? (
          <button type="button" className="main-button" disabled={isOfAnother || (expected === 0 && !always)} onClick={() => { setAgreed(expected); setStep(step + 1); }}>
            {step === 0 ? 'See what it would change' : 'Say why'}
          </button>
        ) : (
          <button type="button" className="main-button" disabled={isOfAnother || reason.trim() === '' || state.busy} onClick={() => void send()}>
            {state.busy ? 'Applying …' : `${what} ${count(agreed)}`}
          </button>
        )}
        {step > 0 && <Button onClick={() => setStep(step - 1)}>Back</Button>}
      </div>
    </div>
  ); // prettier-ignore
}

function Done({ run }: { run: { id: number; counts: Record<string, number> } }) {
  return (
    <div className="stack" role="status">
      <strong>Applied as run {run.id}.</strong>
      <span className="second">{changedWords(run.counts) || 'Nobody changed.'}</span>
      <Link className="plain" to={`/runs/${run.id}`}>
        Look at the run, or undo it
      </Link>
    </div>
  ); // prettier-ignore
}
