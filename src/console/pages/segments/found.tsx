import type { ConditionPreview } from '../../../shared/contract/conditions.ts';
import { ContactDoor } from '../../components/contact-door.tsx';
import { Stage } from '../../components/marks.tsx';
import { Door, Section } from '../../components/page.tsx';
import { count, percent } from '../../components/words.ts';
import type { Stage as StageName } from '../../../shared/words.ts';
import { whoMatch } from '../../components/doors.ts';
import { Rows } from '../../components/rows.tsx';
import css from './found.module.css';

/** Who match, by stage and by domain. */
export function BrokenDown({ found }: { found: ConditionPreview }) {
  if (found.matching === 0) return null;
  const where = (more: string): string => whoMatch(`(${found.text}) and ${more}`);
  return (
    <Section head="By stage and by domain">
      <div className={css.twoColumns}>
        <table className="rows">
          <thead>
            <tr>
              <th>Stage</th>
              <th className="figure">Contacts</th>
              <th className="figure">Share</th>
            </tr>
          </thead>
          <tbody>
            {found.stages.map(({ stage, contacts }) => (
              <tr key={stage}>
                <td>
                  <Stage stage={stage as StageName} />
                </td>
                <td className="figure">
                  <Door to={where(`stage is ${stage}`)}>{count(contacts)}</Door>
                </td>
                <td className="figure second">{percent(contacts / found.matching)}</td>
              </tr>
            ))}
          </tbody>
        </table>
        <table className="rows">
          <thead>
            <tr>
              <th>Domain</th>
              <th className="figure">Contacts</th>
              <th className="figure">Share</th>
            </tr>
          </thead>
          <tbody>
            {found.domains.slice(0, 6).map(({ domain, contacts }) => (
              <tr key={domain}>
                <td>{domain}</td>
                <td className="figure">
                  <Door to={where(`domain is "${domain}"`)}>{count(contacts)}</Door>
                </td>
                <td className="figure second">{percent(contacts / found.matching)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Section>
  );
}

export function Sample({ found }: { found: ConditionPreview }) {
  const some = found.sample.length;
  return (
    <Section
      head={
        some === 0
          ? 'Nobody matches'
          : some < found.matching
            ? `${some === 20 ? 'Twenty' : some} of the ${count(found.matching)}`
            : `All ${count(some)}`
      }
      beside={some === 0 ? null : <Door to={whoMatch(found.text)}>all of them</Door>}
    >
      {some === 0 ? null : (
        <Rows
          heads={
            <>
              <th>Contact</th>
              <th>Address</th>
              <th>Because</th>
            </>
          }
        >
          {found.sample.map((one) => (
            <tr key={one.id}>
              <td>
                <ContactDoor {...one} />
              </td>
              <td className="second">{one.address}</td>
              <td className="second">{one.because}</td>
            </tr>
          ))}
        </Rows>
      )}
      <p className="third" style={{ marginTop: 8 }}>
        Suppression is no part of a segment. It is applied to every campaign, after this.
      </p>
    </Section>
  );
}
