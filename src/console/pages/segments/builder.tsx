import { NativeSelect } from '@mantine/core';
import { createContext, use, useEffect, useRef, useState, type ReactNode } from 'react';
import type { ConditionNames, ConditionPreview, ConditionProblem } from '../../../shared/contract/conditions.ts';
import { Door } from '../../components/page.tsx';
import { count } from '../../components/words.ts';
import { PartRow } from './part-row.tsx';
import {
  changeRow,
  leavesOut,
  listParts,
  makeGroup,
  makePart,
  WORDS,
  type Group,
  type Joining,
  type Part,
  type Row,
  type Written,
} from './rows.ts';
import { whoMatch } from '../../components/doors.ts';
import css from './builder.module.css';

export interface Builder {
  root: Group;
  written: Written;
  names: ConditionNames | undefined;
  found: ConditionPreview | undefined;
  problems: ConditionProblem[];
  change: (root: Group) => void;
}

const ABOUT: Record<Joining, string> = {
  all: 'everybody who matches each part',
  any: 'whoever matches at least one',
  none: 'whoever matches any is left out',
  'not-all': 'whoever matches each part is left out',
};

/** Where the focus goes next: into a part, on from what was written in it, or to “Add a part” of a group. */
type Goal = { into: number } | { after: number; slot: number } | { adding: number };

const Lead = createContext<(goal: Goal) => void>(() => undefined);

/** The fields to be filled within the builder, in their order, “Add a part” of each group among them. */
const stopsIn = (box: ParentNode): HTMLElement[] => [...box.querySelectorAll<HTMLElement>('[data-stop]')];

function findGoal(box: HTMLElement, goal: Goal): HTMLElement | undefined {
  if ('adding' in goal) return box.querySelector<HTMLElement>(`[data-adds-to="${goal.adding}"]`) ?? undefined;
  const part = box.querySelector(`[data-part="${'into' in goal ? goal.into : goal.after}"]`);
  if (!part) return undefined;
  if ('into' in goal) return stopsIn(part)[0];
  const behind = (stop: HTMLElement): boolean =>
    Boolean(part.compareDocumentPosition(stop) & Node.DOCUMENT_POSITION_FOLLOWING) && !part.contains(stop);
  return stopsIn(part)[goal.slot + 1] ?? stopsIn(box).find(behind);
}

/**
 * The condition as nested rows: brackets show what belongs together, the group's word is the switch, every part has its
 * count.
 */
export function ConditionBuilder({ toKeeping, ...builder }: Builder & { toKeeping: () => void }) {
  const box = useRef<HTMLDivElement>(null);
  const begun = builder.root.rows[0];
  const [goal, lead] = useState<Goal | null>(begun?.kind === 'part' && begun.text === '' ? { into: begun.key } : null);
  // What it leads to stands there only once the rows are drawn with what was typed.
  useEffect(() => {
    const field = goal && box.current && findGoal(box.current, goal);
    field?.focus();
    if (field instanceof HTMLInputElement) field.select();
  }, [goal]);
  return (
    <div ref={box}>
      <Lead value={lead}>
        <GroupRows
          builder={builder}
          group={builder.root}
          outer={null}
          more={
            <button type="button" className="act" onClick={toKeeping}>
              Name and keep it
            </button>
          }
        />
      </Lead>
    </div>
  );
}

interface GroupProps {
  builder: Builder;
  group: Group;
  /** The group it stands in. */
  outer: Group | null;
  more?: ReactNode;
}

function GroupRows({ builder, group, outer, more }: GroupProps) {
  const { root, change } = builder;
  const lead = use(Lead);
  const put = (row: Row): void => {
    change(changeRow(root, group.key, () => ({ ...group, rows: [...group.rows, row] })));
    lead({ into: listParts(row)[0]!.key });
  };
  const remove = (): void => {
    change(changeRow(root, group.key, () => null));
    if (outer) lead({ adding: outer.key });
  };
  return (
    <div
      className={leavesOut(group.joining) ? `${css.group} ${css.without}` : css.group}
      role="group"
      aria-label={WORDS[group.joining]}
    >
      <div className={css.groupRow}>
        <span className={css.groupWord}>
          <NativeSelect
            aria-label={`How the ${group.rows.length} parts of this group are put together`}
            data={Object.entries(WORDS).map(([value, label]) => ({ value, label }))}
            value={group.joining}
            onChange={(event) =>
              change(changeRow(root, group.key, () => ({ ...group, joining: event.currentTarget.value as Joining })))
            }
          />
          <span className="second">{ABOUT[group.joining]}</span>
          {outer === null ? null : (
            <button type="button" className="act" onClick={remove}>
              Remove the group
            </button>
          )}
        </span>
        <Figure builder={builder} of={group} strong />
      </div>
      {group.rows.map((row) =>
        row.kind === 'group' ? (
          <GroupRows key={row.key} builder={builder} group={row} outer={group} />
        ) : (
          <PartLine key={row.key} builder={builder} part={row} group={group} />
        ),
      )}
      <div className={css.groupRow}>
        <span className="row">
          <button type="button" className="act" data-stop data-adds-to={group.key} onClick={() => put(makePart())}>
            Add a part
          </button>
          <button
            type="button"
            className="act"
            onClick={() => put(makeGroup(group.joining === 'any' ? 'all' : 'any', [makePart(), makePart()]))}
          >
            Add a group
          </button>
          {more}
        </span>
      </div>
    </div>
  );
}

function PartLine({ builder, part, group }: { builder: Builder; part: Part; group: Group }) {
  const { root, written, problems, names, change } = builder;
  const lead = use(Lead);
  const place = written.places.get(part.key);
  const problem = place && problems.find(({ from, warning }) => !warning && from >= place.from && from <= place.to);
  const number = listParts(root).findIndex(({ key }) => key === part.key) + 1;
  return (
    <div className={css.groupRow}>
      <span className={css.partNumber}>{number}</span>
      <PartRow
        part={part}
        names={names}
        problem={problem}
        change={(text) => change(changeRow(root, part.key, () => ({ ...part, text })))}
        isLeftOut={leavesOut(group.joining)}
        lead={{ into: () => lead({ into: part.key }), on: (slot = -1) => lead({ after: part.key, slot }) }}
        remove={() => {
          change(changeRow(root, part.key, () => null));
          lead({ adding: group.key });
        }}
      />
      <Figure builder={builder} of={part} />
    </div>
  );
}

/** How many a row alone matches: a bar of everybody, and the figure as a door to them. */
function Figure({ builder, of, strong = false }: { builder: Builder; of: Row; strong?: boolean }) {
  const { found, written } = builder;
  const place = written.places.get(of.key);
  // While the counts of an earlier text are shown, a row's may be another's.
  const line = place && found?.lines.length === written.lines ? found.lines[place.line] : undefined;
  if (!place || !found || !line || found.contacts === 0) return <span className="count" aria-hidden />;
  const own = written.text.slice(place.from, place.to);
  const figure = count(line.alone);
  return (
    <span className="count">
      <svg width="80" height="12" aria-hidden>
        <line x1="0" x2="80" y1="11.5" y2="11.5" stroke="var(--av-line)" />
        <rect
          x="0"
          y="3"
          width={(80 * line.alone) / found.contacts}
          height="6"
          fill={strong ? 'var(--av-ink)' : 'var(--av-ink2)'}
        />
      </svg>
      <Door to={whoMatch(own)} label={`${figure} match “${own}”`}>
        {strong ? <strong>{figure}</strong> : figure}
      </Door>
    </span>
  );
}
