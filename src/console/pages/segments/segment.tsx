import { useMemo, useRef, useState } from 'react';
import { useParams, useSearchParams } from 'react-router';
import { Refusal } from '../../../client/send.ts';
import type { ConditionPreview, ConditionProblem, CountedLine } from '../../../shared/contract/conditions.ts';
import type { SegmentDetail } from '../../../shared/contract/segments.ts';
import { useConditionNames, useConditionPreview } from '../../api/queries/conditions.ts';
import { useSegment } from '../../api/queries/segments.ts';
import { usePaused } from '../../api/use-paused.ts';
import { useTyped } from '../../api/use-typed.ts';
import { useBrand } from '../../brand.tsx';
import { TypedNote } from '../../components/typed-note.tsx';
import { OfAnotherBrand } from '../../components/of-another-brand.tsx';
import { Await, Finding, Leaf, Ledger, ProblemNote, Section, type LedgerLine } from '../../components/page.tsx';
import { count } from '../../components/words.ts';
import { ConditionBuilder } from './builder.tsx';
import { BrokenDown, Sample } from './found.tsx';
import { makeGroup, makePart, readRows, writeRows, type Group } from './rows.ts';
import { KeepSegment, TryAddress, Versions, type SegmentFields } from './segment-margin.tsx';
import { SegmentDays, Snapshots } from './segment-history.tsx';
import { useWriting } from './use-writing.ts';
import { LongField } from '../../components/long-field.tsx';
import css from './segment.module.css';

/**
 * One segment, or a new one: its condition as nested rows and as text, each following the other, counted as one types.
 */
export default function Segment() {
  const id = useParams()['id'];
  const brand = useBrand();
  const [params] = useSearchParams();
  if (id !== 'new') return <Kept id={Number(id)} />;
  const [name, condition] = [params.get('name') ?? '', params.get('condition') ?? ''];
  const place = `new segment of ${brand.id} ${params.toString()}`;
  return <Editor key={place} place={place} kept={{ name, condition, tags: [], reason: '' }} />;
}

function Kept({ id }: { id: number }) {
  return (
    <Await of={useSegment(id)} rows={6}>
      {(segment) => (
        <>
          <OfAnotherBrand brandId={segment.brandId} what="segment" />
          <Editor
            key={segment.id}
            place={`segment ${segment.id}`}
            segment={segment}
            kept={{ name: segment.name, condition: segment.condition, tags: segment.tags, reason: '' }}
          />
        </>
      )}
    </Await>
  );
}

/** The text and the rows of a condition. Whichever was changed last leads; rows follow a text once it can be read. */
function useCondition(text: string, setText: (text: string) => void) {
  const brand = useBrand();
  const [rows, setRows] = useState<Group>(() => makeGroup('all', text === '' ? [makePart()] : []));
  const written = useMemo(() => writeRows(rows), [rows]);
  // The places of problems are those of the text: as long as the rows follow it, they have none of their own.
  const leads = written.text === text ? 'rows' : 'text';
  const [asked, isAsked] = usePaused(text);
  const preview = useConditionPreview(brand.id, asked);
  const found = preview.isPlaceholderData ? undefined : preview.data;
  const [readFrom, setReadFrom] = useState<ConditionPreview>();
  if (leads === 'text' && found && found !== readFrom && isAsked) {
    setReadFrom(found);
    setRows(readRows(found.lines));
  }
  const changeRows = (changed: Group): void => {
    setRows(changed);
    setText(writeRows(changed).text);
  };
  return { asked, rows, written, leads, preview, changeRows };
}

const WORDS = { name: 'Name', condition: 'Condition', tags: 'Tags' } as const;

/** What is wrong where in the text, when that is why it was refused. */
function problemsOf(error: unknown): ConditionProblem[] | undefined {
  return error instanceof Refusal ? (error.problem['problems'] as ConditionProblem[] | undefined) : undefined;
}

interface AsTextProps {
  text: string;
  typeText: (text: string) => void;
  /** The text that the preview is of. */
  asked: string;
  writing: ReturnType<typeof useWriting>['writing'];
  isWriting: boolean;
  preview: ReturnType<typeof useConditionPreview>;
}

/** The condition as text, with what is wrong in it and what it says. */
function AsText({ text, typeText, asked, writing, isWriting, preview }: AsTextProps) {
  const found = preview.data;
  const problems = problemsOf(preview.error);
  return (
    <Section head="As text">
      <div {...writing}>
        <LongField
          className={css.asText}
          aria-label="Condition"
          value={text}
          change={typeText}
          minRows={4}
          spellCheck={false}
          error={Boolean(problems) && !isWriting}
        />
      </div>
      {problems?.map((problem) => (
        <Problem
          key={`${problem.from} ${problem.message}`}
          text={asked}
          problem={problem}
          quiet={isWriting || problem.warning === true}
        />
      ))}
      {preview.isError && !problems ? <ProblemNote error={preview.error} /> : null}
      {found && !preview.isError ? <Said found={found} text={asked} /> : null}
    </Section>
  );
}

function Editor({ place, segment, kept }: { place: string; segment?: SegmentDetail; kept: SegmentFields }) {
  const brand = useBrand();
  const form = useTyped(place, kept, segment?.version ?? 0);
  const text = form.typed.condition;
  const typeText = (condition: string): void => form.set({ condition });
  const { asked, rows, written, leads, preview, changeRows } = useCondition(text, typeText);
  const keeping = useRef<HTMLElement>(null);
  // Half of a condition cannot be read: nothing is held against it while it is being written.
  const { isWriting, writing } = useWriting();
  const names = useConditionNames(brand.id).data;
  const found = preview.data;
  const problems = problemsOf(preview.error);
  const margin = (
    <>
      <AsText text={text} typeText={typeText} asked={asked} writing={writing} isWriting={isWriting} preview={preview} />
      {found && !preview.isError ? <Steps found={found} /> : null}
      <TryAddress text={asked} />
      <KeepSegment segment={segment} form={form} first={keeping} />
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
      <Finding
        line={segment ? `Segment “${segment.name}”, ${brand.name}` : `New segment, ${brand.name}`}
        headline={headline(found, asked, preview.isError)}
      >
        {found && !preview.isError
          ? `${count(found.mailable)} of these may be mailed for marketing now.`
          : 'A condition reads like a sentence: clicked in the last 30 days and on list "Night Digest".'}
      </Finding>
      <TypedNote form={form} words={WORDS} show={(value) => (Array.isArray(value) ? value.join(', ') : value)} />
      <Leaf margin={margin}>
        <Section head="Who" beside="each part with how many it alone matches">
          <div {...writing}>
            <ConditionBuilder
              root={rows}
              written={written}
              names={names}
              found={preview.isError ? undefined : found}
              problems={leads === 'rows' && asked === text ? (problems ?? []) : []}
              change={changeRows}
              toKeeping={() => keeping.current?.focus()}
            />
          </div>
        </Section>
        {segment ? <SegmentDays segment={segment} /> : null}
        {found && !preview.isError ? (
          <>
            <BrokenDown found={found} />
            <Sample found={found} />
          </>
        ) : null}
      </Leaf>
    </>
  );
}

function headline(found: ConditionPreview | undefined, text: string, failed: boolean): string {
  if (text.trim() === '') return 'Say who';
  if (failed) return 'This cannot be read yet';
  return found ? `${count(found.matching)} of ${count(found.contacts)} match` : 'Counting …';
}

/** The place in the text, and what is wrong there. */
function Problem({ text, problem, quiet }: { text: string; problem: ConditionProblem; quiet: boolean }) {
  const place = text.slice(problem.from, problem.to).slice(0, 80);
  return (
    <p className={quiet ? 'second' : 'problem'} role="status">
      <span>
        {place === '' ? null : <strong>{`At “${place}”: `}</strong>}
        {problem.message}
      </span>
    </p>
  );
}

function Said({ found, text }: { found: ConditionPreview; text: string }) {
  if (found.warnings.length === 0) return <p className="second">✓ No part matches everybody, none matches nobody.</p>;
  return found.warnings.map((problem) => <Problem key={problem.message} text={text} problem={problem} quiet />);
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
    return {
      ...line,
      first: before[index]! + 1,
      last: isGroup(index) ? (next < 0 ? parts : before[next]!) : before[index]! + 1,
    };
  });
}

function takesAway({ text, first, last }: NumberedLine): string {
  if (first === last) return `not: ${text}`;
  if (text === 'any of these') return `none of ${first} to ${last}`;
  if (text === 'all of these') return `not all of ${first} to ${last}`;
  return text === 'none of these'
    ? `one of ${first} to ${last} takes them out`
    : `all of ${first} to ${last} take them out`;
}

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
}
