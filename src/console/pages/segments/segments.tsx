import { Button } from '@mantine/core';
import { Link, useSearchParams } from 'react-router';
import type { Segment } from '../../../shared/contract/segments.ts';
import { useReadyMade } from '../../api/queries/conditions.ts';
import { useSegments } from '../../api/queries/segments.ts';
import { useBrand } from '../../brand.tsx';
import { Await, Door, Finding, Leaf, Section } from '../../components/page.tsx';
import { moment, plural } from '../../components/words.ts';
import { Rows } from '../../components/rows.tsx';

/** The named conditions of the brand, and those for the usual questions to begin with. */
export default function Segments() {
  const brand = useBrand();
  const tag = useSearchParams()[0].get('tag');
  return (
    <Await of={useSegments(brand.id)} rows={6}>
      {(segments) => (
        <>
          <Finding
            line={`Segments, ${brand.name}`}
            headline={segments.length === 0 ? 'No segment yet' : plural(segments.length, 'segment', 'segments')}
          >
            Each is a condition, worked out afresh whenever it is used.
          </Finding>
          <Leaf margin={<ReadyMade />}>
            <Section
              head={tag ? `Tagged ${tag}` : 'By name'}
              beside={
                <Button component={Link} to="/segments/new">
                  New segment
                </Button>
              }
            >
              {segments.length === 0 ? (
                <p className="second">Begin with one of the usual questions, or write your own.</p>
              ) : (
                <ByName segments={segments.filter((one) => !tag || one.tags.includes(tag))} tag={tag} />
              )}
            </Section>
          </Leaf>
        </>
      )}
    </Await>
  );
}

function ByName({ segments, tag }: { segments: Segment[]; tag: string | null }) {
  const { zone } = useBrand();
  return (
    <Rows
      heads={
        <>
          <th>Segment</th>
          <th>Condition</th>
          <th>Tags</th>
          <th className="figure">Changed</th>
        </>
      }
    >
      {segments.map((one) => (
        <tr key={one.id}>
          <td>
            <Door to={`/segments/${one.id}`}>{one.name}</Door>
          </td>
          <td className="second">{one.condition}</td>
          <td className="second">
            {one.tags.map((word) => (
              <Door key={word} to={word === tag ? '/segments' : `/segments?tag=${encodeURIComponent(word)}`}>
                {word}
              </Door>
            ))}
          </td>
          <td className="figure second">{moment(one.changedAt, zone)}</td>
        </tr>
      ))}
    </Rows>
  );
}

function ReadyMade() {
  return (
    <Section head="Usual questions">
      <Await of={useReadyMade()} rows={6}>
        {(all) => (
          <ul className="bare">
            {all.map((one) => (
              <li key={one.name} style={{ padding: '4px 0' }}>
                <Door
                  to={`/segments/new?name=${encodeURIComponent(one.name)}&condition=${encodeURIComponent(one.condition)}`}
                >
                  {one.name}
                </Door>
                <span className="second"> {one.about}</span>
              </li>
            ))}
          </ul>
        )}
      </Await>
    </Section>
  );
}
