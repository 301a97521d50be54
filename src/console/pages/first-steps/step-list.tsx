import { IconCheck } from '@tabler/icons-react';
import type { ReactNode } from 'react';
import { Door } from '../../components/page.tsx';
import css from './step-list.module.css';

export interface Step {
  done: boolean;
  words: ReactNode;
  /** Where it is done, if not here. */
  door?: { to: string; words: string };
  /** What does it here; shown while it is the next one. */
  here?: ReactNode;
}

/** Steps in their order: which are done, and the first that is not with what does it. */
export function StepList({ steps }: { steps: Step[] }) {
  const next = steps.find(({ done }) => !done);
  return (
    <ol className={css.firstSteps}>
      {steps.map((step, place) => (
        <li key={place} aria-current={step === next ? 'step' : undefined}>
          <span className="mark">{step.done ? <IconCheck size={16} aria-label="done" /> : `${place + 1}`}</span>
          <span className={css.words}>{step.words}</span>
          {step.door && !step.done ? <Door to={step.door.to}>{step.door.words}</Door> : null}
          {step.here && step === next ? <div className={css.here}>{step.here}</div> : null}
        </li>
      ))}
    </ol>
  );
}
