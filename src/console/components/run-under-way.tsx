import { Button } from '@mantine/core';
import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef, useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import type { Run } from '../../shared/contract/runs.ts';
import { useRun } from '../api/queries/runs.ts';
import { useAct } from '../api/use-act.ts';
import { ProblemNote } from './page.tsx';
import { UnderWay } from './under-way.tsx';
import { count } from './words.ts';
import { changedWords } from '../../client/wording/changed.ts';

/** A run from its beginning to its end: how far it is, and then what came of it, with the way to its undo. */
export function FollowedRun({ begun }: { begun: Run }) {
  const asked = useRun(begun.id);
  const run = asked.data ?? begun;
  useFreshEnd(run);
  if (run.finishedAt === null)
    return (
      <RunUnderWay run={run} countedAt={asked.dataUpdatedAt}>
        <Link className="plain" to={`/runs/${run.id}`}>
          Run {run.id}
        </Link>
      </RunUnderWay>
    );
  return (
    <div className="stack" role="status">
      <strong>{run.stopped === null ? `Applied as run ${run.id}.` : `Run ${run.id} ended early.`}</strong>
      <EndedEarly run={run} />
      <span className="second">{changedWords(run.counts) || 'Nobody changed.'}</span>
      <Link className="plain" to={`/runs/${run.id}`}>
        Look at the run{run.kind === 'erase' ? '' : ', or undo it'}
      </Link>
    </div>
  );
}

/** How far a run is, with a button that stops it. */
export function RunUnderWay({ run, countedAt, children }: { run: Run; countedAt: number; children?: ReactNode }) {
  const stop = useAct((client, _: void) => client.stopRun({ id: run.id }));
  // The pace is that since it was first seen here: counting whom it concerns, and a break, are not part of it.
  const [first] = useState(() => ({ at: new Date(countedAt || Date.now()).toISOString(), done: run.done }));
  return (
    <div className="stack">
      <div>
        <UnderWay
          label={`Run ${run.id}`}
          done={run.done}
          whole={run.whole}
          since={first.at}
          before={first.done}
          countedAt={countedAt}
        >
          {children}
          <Button loading={stop.isPending || run.stopped !== null} onClick={() => stop.mutate()}>
            Stop
          </Button>
        </UnderWay>
      </div>
      <span className="second">It goes on when you leave this page. {stopWords(run)}</span>
      <ProblemNote error={stop.error} />
    </div>
  );
}

function stopWords({ kind }: Run): string {
  if (kind === 'erase') return 'Who has been erased when you stop it stays so.';
  if (kind === 'undo') return 'What has been put back when you stop it stays so; another undo goes on from there.';
  return 'What it has changed when you stop it stays, and can be undone.';
}

/** Why a run ended before everybody was dealt with; nothing where it did not. */
export function EndedEarly({ run }: { run: Run }) {
  if (run.stopped === null) return null;
  return (
    <span className="moved">
      {count(run.done)} of {count(run.whole)} were dealt with: {run.stopped}.
    </span>
  );
}

/** When a run that was under way has ended, everything shown is asked for again. */
export function useFreshEnd(run: Run | undefined): void {
  useAskedAgain(run?.finishedAt === null);
}

/** When something that was under way no longer is, everything shown is asked for again. */
export function useAskedAgain(underWay: boolean): void {
  const queries = useQueryClient();
  const wasUnderWay = useRef(false);
  useEffect(() => {
    if (wasUnderWay.current && !underWay)
      void queries.invalidateQueries({ predicate: (query) => query.queryKey[0] !== 'session' });
    wasUnderWay.current = underWay;
  }, [queries, underWay]);
}
