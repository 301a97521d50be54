import type { Run } from '../../../shared/contract/runs.ts';
import { useRuns } from '../../api/queries/runs.ts';
import { useBrand } from '../../brand.tsx';
import { ActorMark } from '../../components/marks.tsx';
import { Await, Door, Finding } from '../../components/page.tsx';
import { count, moment, plural } from '../../components/words.ts';
import { Turn, usePages } from '../../components/turn.tsx';
import { changedWords } from '../../../client/wording/changed.ts';

/** Everything that changed many at once, latest first. */
export default function Runs() {
  const { zone } = useBrand();
  const pages = usePages();
  return (
    <Await of={useRuns(pages.cursor)}>
      {({ items, next }) => (
        <>
          <Finding
            line="Runs, whole organisation"
            headline={
              items.length === 0
                ? 'Nothing has run yet'
                : pages.cursor
                  ? `${plural(items.length, 'earlier run', 'earlier runs')}`
                  : `The latest ${plural(items.length, 'run', 'runs')}`
            }
          >
            Each but an erasure can be undone as a whole.
          </Finding>
          <table className="rows folds" style={{ marginTop: 24 }}>
            <thead>
              <tr>
                <th>Run</th>
                <th>What</th>
                <th>Why</th>
                <th>Changed</th>
                <th className="figure">When</th>
              </tr>
            </thead>
            <tbody>
              {items.map((run) => (
                <tr key={run.id} className={run.undoneByRunId === null ? '' : 'ended'}>
                  <td>
                    <Door to={`/runs/${run.id}`}>{run.id}</Door>
                  </td>
                  <td>
                    <span className="mark">
                      <ActorMark actor={run.actor.startsWith('the ') ? 'machine' : 'human'} />
                      {run.kind}, {run.actor}
                    </span>
                  </td>
                  <td className="second">{run.reason}</td>
                  <td className="second">{standingWords(run)}</td>
                  <td className="figure second">{moment(run.startedAt, zone)}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <Turn pages={pages} next={next} size={50} />
        </>
      )}
    </Await>
  );
}

/** What a run changed, or how far it is or came. */
function standingWords({ counts, finishedAt, stopped, done, whole }: Run): string {
  const changed = changedWords(counts);
  if (finishedAt !== null && stopped === null) return changed;
  const far =
    whole === 0
      ? 'under way'
      : `${count(done)} of ${count(whole)} dealt with${stopped === null ? '' : ', ended early'}`;
  return changed === '' ? far : `${far}: ${changed}`;
}
