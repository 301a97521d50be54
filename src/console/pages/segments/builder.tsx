import { NativeSelect } from '@mantine/core';
import type { ConditionNames, ConditionPreview, ConditionProblem } from '../../../shared/api-segments.ts';
import { Door } from '../../components/page.tsx';
import { count } from '../../components/words.ts';
import { PartRow } from './part-row.tsx';
import { changeRow, listParts, makeGroup, makePart, WORDS, type Group, type Joining, type Row, type Written } from './rows.ts'; // prettier-ignore

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

/** The condition as nested rows: brackets show what belongs together, the group's word is the switch, every part has its count. */
export function ConditionBuilder(builder: Builder) {
  return <GroupRows builder={builder} group={builder.root} />;
}

function GroupRows({ builder, group }: { builder: Builder; group: Group }) {
  const { root, change } = builder;
  const put = (row: Row): void => change(changeRow(root, group.key, () => ({ ...group, rows: [...group.rows, row] })));
  const isRoot = group === root;
  return (
    <div className={group.joining === 'none' || group.joining === 'not-all' ? 'group without' : 'group'} role="group" aria-label={WORDS[group.joining]}>
      <div className="group-row">
        <span className="group-word">
          <NativeSelect
            aria-label={`How the ${group.rows.length} parts of this group are put together`}
            data={Object.entries(WORDS).map(([value, label]) => ({ value, label }))}
            value={group.joining}
            onChange={(event) => change(changeRow(root, group.key, () => ({ ...group, joining: event.currentTarget.value as Joining })))}
          />
          <span className="second">{ABOUT[group.joining]}</span>
          {isRoot ? null : <button type="button" className="act" onClick={() => change(changeRow(root, group.key, () => null))}>Remove the group</button>}
        </span>
        <Figure builder={builder} of={group} strong />
      </div>
      {group.rows.map((row) =>
        row.kind === 'group' ? <GroupRows key={row.key} builder={builder} group={row} /> : <PartLine key={row.key} builder={builder} part={row} />,
      )}
      <div className="group-row">
        <span className="row">
          <button type="button" className="act" onClick={() => put(makePart())}>Add a part</button>
          <button type="button" className="act" onClick={() => put(makeGroup(group.joining === 'any' ? 'all' : 'any', [makePart(), makePart()]))}>Add a group</button>
        </span>
      </div>
    </div>
  ); // prettier-ignore
}

function PartLine({ builder, part }: { builder: Builder; part: Row & { kind: 'part' } }) {
  const { root, written, problems, names, change } = builder;
  const place = written.places.get(part.key);
  const problem = place && problems.find(({ from, warning }) => !warning && from >= place.from && from <= place.to);
  const number = listParts(root).findIndex(({ key }) => key === part.key) + 1;
  return (
    <div className="group-row">
      <span className="part-number">{number}</span>
      <PartRow
        part={part}
        names={names}
        problem={problem}
        change={(text) => change(changeRow(root, part.key, () => ({ ...part, text })))}
        remove={() => change(changeRow(root, part.key, () => null))}
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
        <rect x="0" y="3" width={(80 * line.alone) / found.contacts} height="6" fill={strong ? 'var(--av-ink)' : 'var(--av-ink2)'} />
      </svg>
      <Door to={`/contacts?where=${encodeURIComponent(own)}`} label={`${figure} match “${own}”`}>{strong ? <strong>{figure}</strong> : figure}</Door>
    </span>
  ); // prettier-ignore
}
