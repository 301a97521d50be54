import { Popover, TextInput } from '@mantine/core';
import { IconSearch } from '@tabler/icons-react';
import { useEffect, useRef, useState } from 'react';
import { Link } from 'react-router';
import { useCheck } from './api/queries.ts';
import { useBrand } from './brand.tsx';
import { UnsubscribeOnRequest } from './components/unsubscribe-on-request.tsx';
import { ReasonMark } from './components/marks.tsx';
import { Await } from './components/page.tsx';

/** Type an address anywhere (`/` or Ctrl-K): who is this, may we write to them, and why; and take them off, as they asked. */
export function Lookup() {
  const field = useRef<HTMLInputElement>(null);
  const [text, setText] = useState('');
  const [asked, setAsked] = useState('');
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      const typing = event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement;
      if ((event.key === '/' && !typing) || (event.key === 'k' && event.ctrlKey)) {
        event.preventDefault();
        field.current?.focus();
      }
    };
    addEventListener('keydown', onKey);
    return () => removeEventListener('keydown', onKey);
  }, []);
  return (
    <Popover opened={asked !== ''} onChange={(open) => !open && setAsked('')} position="bottom-end" width={420} trapFocus={false}>
      <Popover.Target>
        <form className="lookup" role="search" onSubmit={(event) => { event.preventDefault(); setAsked(text.trim()); }}>
          <TextInput ref={field} value={text} onChange={(event) => setText(event.currentTarget.value)} placeholder="Address: who is this, may we write?" aria-label="Look up an address" leftSection={<IconSearch size={16} aria-hidden />} rightSection={<span className="third" aria-hidden>/</span>} />
        </form>
      </Popover.Target>
      <Popover.Dropdown>{asked === '' ? null : <Answer address={asked} onDone={() => setAsked('')} />}</Popover.Dropdown>
    </Popover>
  ); // prettier-ignore
}

function Answer({ address, onDone }: { address: string; onDone: () => void }) {
  const brand = useBrand();
  return (
    <Await of={useCheck(address)} rows={2}>
      {(check) => (
        <div className="stack">
          <strong>{check.contact?.name ?? check.address}</strong>
          {check.contact ? (
            <span className="second">{check.address}</span>
          ) : (
            <span className="second">No contact has this address.</span>
          )}
          {check.brands.map((verdict) => (
            <div key={verdict.brandId}>
              <h3>
                {verdict.eligible ? 'We may write' : 'We may not write'} for {verdict.brandName}
              </h3>
              {verdict.because.map(({ reason, text }) => (
                <div key={reason} className="second">
                  <ReasonMark reason={reason} />: {text}
                </div>
              ))}
            </div>
          ))}
          {check.subscriptions.some((row) => row.state === 'subscribed' && row.brandId === brand.id) ? (
            <UnsubscribeOnRequest address={check.address} />
          ) : null}
          {check.contact ? (
            <Link className="plain" to={`/contacts/${check.contact.id}`} onClick={onDone}>
              Open the contact
            </Link>
          ) : null}
        </div>
      )}
    </Await>
  );
}
