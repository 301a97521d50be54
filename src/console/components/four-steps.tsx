import { Button, TextInput } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import type { Run } from '../../shared/contract/runs.ts';
import { Refusal } from '../../client/send.ts';
import { ProblemNote } from './page.tsx';
import { FollowedRun } from './run-under-way.tsx';
import { count } from './words.ts';
import { WhyField } from './long-field.tsx';
import css from './four-steps.module.css';

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

/** Leads the focus from step to step: to what is to be filled in or pressed next, and to what came of it. */
function useLedFocus(step: number, isDone: boolean) {
  const box = useRef<HTMLDivElement>(null);
  const why = useRef<HTMLTextAreaElement>(null);
  const button = useRef<HTMLButtonElement>(null);
  const [first] = useState({ step, isDone });
  const hasMoved = useRef(false);
  useEffect(() => {
    hasMoved.current ||= step !== first.step || isDone !== first.isDone;
    if (!hasMoved.current) return;
    if (isDone) box.current?.focus();
    else if (step >= 2) why.current?.focus();
    else button.current?.focus();
  }, [step, isDone, first]);
  return { box, why, button };
}

const NAMES = ['Count', 'Change', 'Reason', 'Apply'];

interface Applied {
  busy?: boolean;
  error?: unknown;
  /** The count had moved by the time it was to be applied. */
  moved?: { expected: number; now: number };
  run?: Run;
}

/** Applies to the count that was agreed to; where it has moved, the new one is what is to be agreed to. */
function useApplying(apply: Props['apply'], expected: number) {
  const queries = useQueryClient();
  const [agreed, setAgreed] = useState(expected);
  const [state, setState] = useState<Applied>({});
  const send = async (reason: string): Promise<void> => {
    setState({ busy: true });
    try {
      const run = await apply(agreed, reason);
      setState({ run });
      // What it has changed already is shown as it is now; the rest once it has ended.
      void queries.invalidateQueries({ predicate: (query) => query.queryKey[0] !== 'session' });
    } catch (error) {
      const problem = error instanceof Refusal ? (error.problem as { expected?: number; now?: number }) : {};
      if (problem.now === undefined) return setState({ error });
      setAgreed(problem.now);
      setState({ moved: { expected: problem.expected!, now: problem.now } });
    }
  };
  return { agreed, setAgreed, state, send };
}

/** What is to be typed before the last step, and whether it is what was asked for. */
function useTypedCounts(agreed: number, final: boolean, mailable: number) {
  const [typed, setTyped] = useState('');
  const [typedMailable, setTypedMailable] = useState('');
  return {
    confirmed:
      (!final || typed.trim() === String(agreed)) && (mailable === 0 || typedMailable.trim() === String(mailable)),
    fields: (
      <>
        {final && (
          <TextInput
            label={`How many people are these? Type ${agreed}`}
            value={typed}
            onChange={(event) => setTyped(event.currentTarget.value)}
          />
        )}
        {mailable > 0 && (
          <TextInput
            label={`How many of them may still be written to? Type ${mailable}`}
            value={typedMailable}
            onChange={(event) => setTypedMailable(event.currentTarget.value)}
          />
        )}
      </>
    ),
  };
}

function StepsLine({ step }: { step: number }) {
  return (
    <div className={css.stepsLine}>
      {NAMES.map((name, index) => (
        <span key={name} className={index <= step ? css.inked : ''} aria-current={index === step ? 'step' : undefined}>
          {name}
        </span>
      ))}
    </div>
  );
}

/** What changes many people at once: count and sample, what it will change, why, and the run with its undo. */
export function FourSteps(props: Props) {
  const { expected, always = false, isOfAnother = false, final = false, mailable = 0 } = props;
  const [step, setStep] = useState(0);
  const [reason, setReason] = useState('');
  const { agreed, setAgreed, state, send } = useApplying(props.apply, expected);
  const { confirmed, fields } = useTypedCounts(agreed, final, mailable);
  const { box, why, button } = useLedFocus(step, state.run !== undefined);
  if (state.run)
    return (
      <div ref={box} tabIndex={-1} className="led">
        <FollowedRun begun={state.run} />
      </div>
    );
  const goOn = (): void => {
    setAgreed(expected);
    setStep(step + 1);
  };
  return (
    <div>
      <StepsLine step={step} />
      <div className="stack">
        {step === 0 && props.children}
        {step === 1 && <div>{props.change}</div>}
        {step >= 2 && <WhyField ref={why} value={reason} change={setReason} />}
        {step >= 2 && fields}
        {state.moved && (
          <div className="moved">
            The count moved from {count(state.moved.expected)} to {count(state.moved.now)} meanwhile. Apply to{' '}
            {count(state.moved.now)}?
          </div>
        )}
        <ProblemNote error={state.error} />
        {step < 2 ? (
          <button
            ref={button}
            type="button"
            className="main-button"
            disabled={isOfAnother || (expected === 0 && !always)}
            onClick={goOn}
          >
            {step === 0 ? 'See what it would change' : 'Say why'}
          </button>
        ) : (
          <button
            type="button"
            className="main-button"
            disabled={isOfAnother || reason.trim() === '' || !confirmed || state.busy}
            onClick={() => void send(reason)}
          >
            {state.busy ? 'Applying …' : `${props.what} ${count(agreed)}`}
          </button>
        )}
        {step > 0 && <Button onClick={() => setStep(step - 1)}>Back</Button>}
      </div>
    </div>
  );
}
