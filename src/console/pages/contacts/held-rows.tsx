import { Button } from '@mantine/core';
import { useNavigate } from 'react-router';
import type { HeldDecision, HeldRows } from '../../../shared/contract/imports.ts';
import type { Import } from '../../../shared/contract/imports.ts';
import { ROW_WORDS } from '../../../shared/row-words.ts';
import { useHeldRows } from '../../api/queries/imports.ts';
import { useAct } from '../../api/use-act.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, ProblemNote, Section } from '../../components/page.tsx';
import { count, moment, plural } from '../../components/words.ts';
import { Rows } from '../../components/rows.tsx';

/** Rows that an import held: what waits for a decision, and what was decided, by whom. */
export function Held({ row }: { row: Import }) {
  return (
    <Await of={useHeldRows(row.id, true)} rows={2}>
      {(held) => (
        <Section head={head(row, held)}>
          {row.dryRun ? <p className="second">You decide about them once the rows are imported.</p> : null}
          {held.map((one) => (
            <HeldFor key={one.code} row={row} held={one} />
          ))}
        </Section>
      )}
    </Await>
  );
}

function head({ dryRun }: Import, held: HeldRows[]): string {
  const waiting = held.filter((one) => one.decision === null).reduce((sum, one) => sum + one.rows, 0);
  if (dryRun) return `${plural(waiting, 'row would', 'rows would')} wait for your decision`;
  if (waiting > 0) return `${plural(waiting, 'row waits', 'rows wait')} for your decision`;
  const rows = held.reduce((sum, one) => sum + one.rows, 0);
  return `${plural(rows, 'row was', 'rows were')} held, and decided about`;
}

function HeldFor({ row, held }: { row: Import; held: HeldRows }) {
  const { code, rows, decision, domains } = held;
  const go = useNavigate();
  const release = useAct(async (client, mend: boolean) => {
    const begun = await client.releaseHeldRows({ id: row.id, codes: [code], mend, dryRun: row.dryRun });
    void go(`/contacts/import/${begun.id}`);
  });
  const leaveOut = useAct((client, _: void) => client.leaveHeldRowsOut({ id: row.id, codes: [code] }));
  const busy = release.isPending || leaveOut.isPending;
  const canMend = domains.some((one) => one.proposal !== null);
  return (
    <div style={{ paddingBottom: 16 }}>
      <div className="row apart">
        <span>
          {plural(rows, 'row', 'rows')}: {ROW_WORDS[`held:${code}`]!.replace('Held: ', '')}
        </span>
        {decision !== null && decision.decided !== 'left-out' ? null : (
          <span className="row">
            {canMend ? (
              <Button disabled={busy} onClick={() => release.mutate(true)}>
                {row.dryRun ? 'Try them mended' : 'Take them in, mended'}
              </Button>
            ) : null}
            <Button disabled={busy} onClick={() => release.mutate(false)}>
              {row.dryRun ? 'Try them as they are' : 'Take them in as they are'}
            </Button>
            {row.dryRun || decision !== null ? null : (
              <Button disabled={busy} onClick={() => leaveOut.mutate()}>
                Leave them out
              </Button>
            )}
          </span>
        )}
      </div>
      {decision === null ? null : <Decided {...decision} />}
      <ProblemNote error={release.error ?? leaveOut.error} />
      <Rows>
        {domains.map((one) => (
          <tr key={one.domain}>
            <td>{one.domain}</td>
            <td className="second">{one.proposal ? `meant: ${one.proposal}` : one.sample.slice(0, 2).join(', ')}</td>
            <td className="figure">{count(one.rows)}</td>
          </tr>
        ))}
      </Rows>
    </div>
  );
}

const DECIDED: Record<HeldDecision['decided'], string> = {
  'as-is': 'Taken in as they are',
  mended: 'Taken in, mended',
  'left-out': 'Left out',
};

function Decided({ decided, importId, actor, at }: HeldDecision) {
  const { zone } = useBrand();
  return (
    <p>
      {DECIDED[decided]}, {actor}, {moment(at, zone)}
      {importId === null ? (
        ''
      ) : (
        <>
          : <Door to={`/contacts/import/${importId}`}>import {importId}</Door>
        </>
      )}
    </p>
  );
}
