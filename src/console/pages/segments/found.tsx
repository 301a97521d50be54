import type { ConditionPreview } from '../../../shared/api-segments.ts';
import { Stage } from '../../components/marks.tsx';
import { Door, Section } from '../../components/page.tsx';
import { count, percent } from '../../components/words.ts';
import type { Stage as StageName } from '../../../shared/words.ts';

/** Who match, by stage and by domain. */
export function BrokenDown({ found }: { found: ConditionPreview }) {
  if (found.matching === 0) return null;
  const where = (more: string): string => `/contacts?where=${encodeURIComponent(`(${found.text}) and ${more}`)}`;
  return (
    <Section head="By stage and by domain">
      <div className="two-columns">
        <table className="rows">
          <thead><tr><th>Stage</th><th className="figure">Contacts</th><th className="figure">Share</th></tr></thead>
          <tbody>
            {found.stages.map(({ stage, contacts }) => (
              <tr key={stage}>
                <td><Stage stage={stage as StageName} /></td>
                <td className="figure"><Door to={where(`stage is ${stage}`)}>{count(contacts)}</Door></td>
                <td className="figure second">{percent(contacts / found.matching)}</td>
              </tr>
            ))}
          </tbody>
        </table>
        <table className="rows">
          <thead><tr><th>Domain</th><th className="figure">Contacts</th><th className="figure">Share</th></tr></thead>
          <tbody>
            {found.domains.slice(0, 6).map(({ domain, contacts }) => (
              <tr key={domain}>
                <td>{domain}</td>
                <td className="figure"><Door to={where(`domain is "${domain}"`)}>{count(contacts)}</Door></td>
                <td className="figure second">{percent(contacts / found.matching)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Section>
  ); // prettier-ignore
}

export function Sample({ found }: { found: ConditionPreview }) {
  const some = found.sample.length;
  return (
    <Section
      head={some === 0 ? 'Nobody matches' : some < found.matching ? `${some === 20 ? 'Twenty' : some} of the ${count(found.matching)}` : `All ${count(some)}`}
      beside={some === 0 ? null : <Door to={`/contacts?where=${encodeURIComponent(found.text)}`}>all of them</Door>}
    >
      {some === 0 ? null : (
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
      )}
      <p className="third" style={{ marginTop: 8 }}>Suppression is no part of a segment. It is applied to every campaign, after this.</p>
    </Section>
  ); // prettier-ignore
}
