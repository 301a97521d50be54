import type { MendPreview } from '../../../shared/contract/addresses.ts';
import { client } from '../../api/client.ts';
import { useMendPreview } from '../../api/queries/addresses.ts';
import { FourSteps } from '../../components/four-steps.tsx';
import { Await } from '../../components/page.tsx';
import { count, plural } from '../../components/words.ts';

/** The four steps of mending a domain, or one address. */
export function MendSteps({ from, to }: { from: string; to: string }) {
  return <Await of={useMendPreview(from, to)}>{(preview) => <Steps preview={preview} />}</Await>;
}

function Steps({ preview }: { preview: MendPreview }) {
  const { from, to, mended, merged } = preview;
  return (
    <FourSteps
      expected={mended + merged}
      what="Mend"
      apply={(expect, reason) => client.mend({ from, to, expect, reason })}
      change={
        <>
          {plural(mended, 'address becomes', 'addresses become')} {to}; what was said about the old one ends, and what
          people asked for goes over.{' '}
          {merged > 0
            ? `${plural(merged, 'contact is', 'contacts are')} merged into the one that has the mended address already. `
            : ''}
          The old addresses stay in the journal, and the run can be undone.
        </>
      }
    >
      <p>
        {count(mended)} would be mended{merged > 0 ? `, ${count(merged)} merged` : ''}.
      </p>
      <table className="rows">
        <tbody>
          {preview.sample.slice(0, 8).map((one) => (
            <tr key={one.contactId}>
              <td className="second">
                {one.address}
                {one.mergesInto === null ? '' : ' (merged)'}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </FourSteps>
  );
}
