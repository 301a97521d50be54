import { Textarea } from '@mantine/core';
import { useDebouncedValue } from '@mantine/hooks';
import { useState } from 'react';
import { useParams, useSearchParams } from 'react-router';
import { Refusal } from '../../../client/calls.ts';
import type { ConditionPreview, ConditionProblem, SegmentDetail } from '../../../shared/api-segments.ts';
import { useConditionPreview, useSegment } from '../../api/queries.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, Finding, Leaf, ProblemNote, Section } from '../../components/page.tsx';
import { count } from '../../components/words.ts';
import { KeepSegment, TryAddress, Versions } from './segment-margin.tsx';

/** One segment, or a new one: its condition as text, counted part by part as one types. */
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

const PAUSE_MS = 300;

function Editor({ segment, name, text: kept }: { segment?: SegmentDetail; name: string; text: string }) {
  const brand = useBrand();
  const [text, setText] = useState(kept);
  const [asked] = useDebouncedValue(text, PAUSE_MS);
  const preview = useConditionPreview(brand.id, asked);
  const found = preview.data;
  const problems = preview.error instanceof Refusal ? (preview.error.problem['problems'] as ConditionProblem[] | undefined) : undefined; // prettier-ignore
  const margin = (
    <>
      <KeepSegment segment={segment} name={name} text={text} />
      <TryAddress text={asked} />
      {segment ? <Versions segment={segment} /> : null}
    </>
  );
  return (
    <>
      <Finding line={segment ? `Segment “${segment.name}”, ${brand.name}` : `New segment, ${brand.name}`} headline={headline(found, asked, preview.isError)}>
        {found ? `${count(found.mailable)} of these may be mailed for marketing now.` : 'A condition reads like a sentence: clicked in the last 30 days and on list "Night Digest".'}
      </Finding>
      <Leaf margin={margin}>
        <Section head="Condition">
          <Textarea aria-label="Condition" value={text} onChange={(event) => setText(event.currentTarget.value)} autosize minRows={4} spellCheck={false} />
          {problems?.map((problem) => <Problem key={`${problem.from} ${problem.message}`} text={asked} problem={problem} />)}
          {preview.isError && !problems ? <ProblemNote error={preview.error} /> : null}
          {found?.warnings.map((problem) => <Problem key={problem.message} text={asked} problem={problem} />)}
        </Section>
        {found ? <Counted found={found} /> : null}
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

function Counted({ found }: { found: ConditionPreview }) {
  return (
    <>
      <Section head="Every part, counted">
        <table className="rows">
          <thead><tr><th>Part</th><th className="figure">Alone</th><th className="figure">With those before</th></tr></thead>
          <tbody>
            {found.lines.map((row, index) => (
              <tr key={`${index} ${row.text}`}>
                <td style={{ paddingLeft: row.depth * 20 }}>{row.joined === null ? null : <span className="second">{row.joined} </span>}{row.text}</td>
                <td className="figure">{count(row.alone)}</td>
                <td className="figure">{count(row.after)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </Section>
      <Section head={found.sample.length === 0 ? 'Nobody matches' : `${found.sample.length} of them`}>
        <table className="rows folds">
          <thead><tr><th>Contact</th><th>Address</th><th>Because</th></tr></thead>
          <tbody>
            {found.sample.map((one) => (
              <tr key={one.id}>
                <td><Door to={`/contacts/${one.id}`}>{one.name ?? one.address}</Door></td>
                <td className="second">{one.address}</td>
                <td className="second">{one.because}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </Section>
    </>
  ); // prettier-ignore
}
