import { Textarea } from '@mantine/core';
import { useMemo, useState } from 'react';
import { useParams, useSearchParams } from 'react-router';
import { Refusal } from '../../../client/calls.ts';
import type { ConditionPreview, ConditionProblem, CountedLine, SegmentDetail } from '../../../shared/api-segments.ts';
import { useConditionNames, useConditionPreview, useSegment } from '../../api/queries.ts';
import { usePaused } from '../../api/use-paused.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Finding, Leaf, Ledger, ProblemNote, Section, type LedgerLine } from '../../components/page.tsx';
import { count } from '../../components/words.ts';
import { ConditionBuilder } from './builder.tsx';
import { BrokenDown, Sample } from './found.tsx';
import { makeGroup, makePart, readRows, writeRows, type Group } from './rows.ts';
import { KeepSegment, TryAddress, Versions } from './segment-margin.tsx';
import { SegmentDays, Snapshots } from './segment-history.tsx';

/** One segment, or a new one: its condition as nested rows and as text, each following the other, counted as one types. */
export default function Segment() {
  const id = useParams()['id'];
  const [params] = useSearchParams();
  if (id !== 'new') return <Kept id={Number(id)} />;
  return <Editor key={params.toString()} name={params.get('name') ?? ''} text={params.get('condition') ?? ''} />;
}

function Kept({ id }: { id: number }) {
  return (
    <Await of={useSegment(id)} rows={6}>
      {(segment) => <Editor key={segment.version} segment={segment} name={segment.name} text={segment.condition} />}
    </Await>
  );
}

/** The text and the rows of a condition. Whichever was changed last leads; rows follow a text once it can be read. */
function useCondition(kept: string) {
  const brand = useBrand();
  const [text, setText] = useState(kept);
  const [rows, setRows] = useState<Group>(() => makeGroup('all', kept === '' ? [makePart()] : []));
  const [leads, setLeads] = useState<'text' | 'rows'>('text');
  const written = useMemo(() => writeRows(rows), [rows]);
  const [asked, isAsked] = usePaused(text);
  const preview = useConditionPreview(brand.id, asked);
  const found = preview.isPlaceholderData ? undefined : preview.data;
  const [readFrom, setReadFrom] = useState<ConditionPreview>();
  if (leads === 'text' && found && found !== readFrom && isAsked) {
    setReadFrom(found);
    setRows(readRows(found.lines));
  }
  return {
    text,
    asked,
    rows,
    // The places of problems are those of the text: as long as the rows follow it, they have none of their own.
    written,
    leads,
    preview,
    typeText: (typed: string): void => {
      setLeads('text');
      setText(typed);
    },
    changeRows: (changed: Group): void => {
      setLeads('rows');
      setRows(changed);
      setText(writeRows(changed).text);
    },
  };
}

function Editor({ segment, name, text: kept }: { segment?: SegmentDetail; name: string; text: string }) {
  const brand = useBrand();
  const { text, asked, rows, written, leads, preview, typeText, changeRows } = useCondition(kept);
  const names = useConditionNames(brand.id).data;
  const found = preview.data;
  const problems = preview.error instanceof Refusal ? (preview.error.problem['problems'] as ConditionProblem[] | undefined) : undefined; // prettier-ignore
  const margin = (
    <>
      <Section head="As text">
        <Textarea
          className="as-text"
          aria-label="Condition"
          value={text}
          onChange={(event) => typeText(event.currentTarget.value)}
          autosize
          minRows={4}
          spellCheck={false}
          error={Boolean(problems)}
        />
        {problems?.map((problem) => (
          <Problem key={`${problem.from} ${problem.message}`} text={asked} problem={problem} />
        ))}
        {preview.isError && !problems ? <ProblemNote error={preview.error} /> : null}
        {found && !preview.isError ? <Said found={found} text={asked} /> : null}
      </Section>
      {found && !preview.isError ? <Steps found={found} /> : null}
      <TryAddress text={asked} />
      <KeepSegment segment={segment} name={name} text={text} />
      {segment ? (
        <Snapshots
          segment={segment}
          matching={
            text === segment.condition && asked === text && !preview.isPlaceholderData ? found?.matching : undefined
          }
        />
      ) : null}
      {segment ? <Versions segment={segment} /> : null}
    </>
  );
  return (
    <>
      <Finding line={segment ? `Segment “${segment.name}”, ${brand.name}` : `New segment, ${brand.name}`} headline={headline(found, asked, preview.isError)}>
        {found && !preview.isError ? `${count(found.mailable)} of these may be mailed for marketing now.` : 'A condition reads like a sentence: clicked in the last 30 days and on list "Night Digest".'}
      </Finding>
      <Leaf margin={margin}>
        <Section head="Who" beside="each part with how many it alone matches">
          <ConditionBuilder root={rows} written={written} names={names} found={preview.isError ? undefined : found} problems={leads === 'rows' ? (problems ?? []) : []} change={changeRows} />
        </Section>
        {segment ? <SegmentDays segment={segment} /> : null}
        {found && !preview.isError ? <><BrokenDown found={found} /><Sample found={found} /></> : null}
      </Leaf>
    </>
  ); // prettier-ignore
}

function headline(found: ConditionPreview | undefined, text: string, failed: boolean): string {
  if (text.trim() === '') return 'Say who';
  if (failed) return 'This cannot be read yet';
  return found ? `${count(found.matching)} of ${count(found.contacts)} match` : 'Counting …';
}

/** The place in the text, and what is wrong there. */
function Problem({ text, problem }: { text: string; problem: ConditionProblem }) {
  const place = text.slice(problem.from, problem.to).slice(0, 80);
  return (
    <p className={problem.warning ? 'second' : 'problem'} role="status">
      <span>
        {place === '' ? null : <strong>{`At “${place}”: `}</strong>}
        {problem.message}
      </span>
    </p>
  );
}

function Said({ found, text }: { found: ConditionPreview; text: string }) {
  if (found.warnings.length === 0) return <p className="second">✓ No part matches everybody, none matches nobody.</p>;
  return found.warnings.map((problem) => <Problem key={problem.message} text={text} problem={problem} />);
}

interface NumberedLine extends CountedLine {
  /** The numbers of the parts in it, as the rows show them. */
  first: number;
  last: number;
}

function numberParts({ lines }: ConditionPreview): NumberedLine[] {
  let parts = 0;
  const isGroup = (index: number): boolean => (lines[index + 1]?.depth ?? 0) > lines[index]!.depth;
  const before = lines.map((_, index) => (isGroup(index) ? parts : parts++));
  return lines.map((line, index) => {
    const next = lines.findIndex((other, place) => place > index && other.depth <= line.depth);
    return { ...line, first: before[index]! + 1, last: isGroup(index) ? (next < 0 ? parts : before[next]!) : before[index]! + 1 };
  });
} // prettier-ignore

function takesAway({ text, first, last }: NumberedLine): string {
  if (first === last) return `not: ${text}`;
  if (text === 'any of these') return `none of ${first} to ${last}`;
  if (text === 'all of these') return `not all of ${first} to ${last}`;
  return text === 'none of these' ? `one of ${first} to ${last} takes them out` : `all of ${first} to ${last} take them out`;
} // prettier-ignore

/** What each part of the outermost group takes away, or adds, until the figure is reached. */
function Steps({ found }: { found: ConditionPreview }) {
  const numbered = numberParts(found);
  const parts = numbered.filter(({ depth }) => depth === 1);
  const chain = found.lines[0]!.text;
  const lines: LedgerLine[] = [{ words: 'Everyone', figure: count(found.contacts) }];
  let before = found.contacts;
  if (chain === 'all of these')
    for (const part of parts) {
      lines.push({ sign: '−', words: takesAway(part), figure: count(before - part.after) });
      before = part.after;
    }
  else lines.push({ sign: '−', words: 'who do not match', figure: count(found.contacts - found.matching) });
  return (
    <Section head={`From everyone to ${count(found.matching)}`}>
      <Ledger lines={lines} total={{ words: 'Match', figure: count(found.matching) }} />
    </Section>
  );
} // prettier-ignore
