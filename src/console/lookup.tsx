import { TextInput } from '@mantine/core';
import { IconSearch } from '@tabler/icons-react';
import { useEffect, useRef, useState } from 'react';
import { Link } from 'react-router';
import { useCheck, useContacts } from './api/queries/contacts.ts';
import { useBrand } from './brand.tsx';
import { UnsubscribeOnRequest } from './components/unsubscribe-on-request.tsx';
import { Capped } from './components/capped.tsx';
import { ReasonMark } from './components/marks.tsx';
import { Await, Door } from './components/page.tsx';
import { Panel } from './components/panel.tsx';
import { count } from './components/words.ts';
import css from './lookup.module.css';

/**
 * Type an address or a name anywhere (`/` or Ctrl-K): who is this, may we write to them, and why; and take them off, as
 * they asked.
 */
export function Lookup() {
  const field = useRef<HTMLInputElement>(null);
  const [text, setText] = useState('');
  const [asked, setAsked] = useState('');
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      const { target } = event;
      const typing =
        target instanceof HTMLInputElement ||
        target instanceof HTMLTextAreaElement ||
        (target instanceof HTMLElement && target.isContentEditable);
      if ((event.key === '/' && !typing) || (event.key === 'k' && event.ctrlKey)) {
        event.preventDefault();
        field.current?.focus();
      }
    };
    addEventListener('keydown', onKey);
    return () => removeEventListener('keydown', onKey);
  }, []);
  const target = (
    <form
      className={css.lookup}
      role="search"
      onSubmit={(event) => {
        event.preventDefault();
        setAsked(text.trim());
      }}
    >
      <TextInput
        ref={field}
        value={text}
        onChange={(event) => setText(event.currentTarget.value)}
        placeholder="Address or name: who is this, may we write?"
        aria-label="Look somebody up"
        leftSection={<IconSearch size={16} aria-hidden />}
        rightSection={
          <span className="third" aria-hidden>
            /
          </span>
        }
      />
    </form>
  );
  const close = (): void => setAsked('');
  return (
    <Panel
      opened={asked !== ''}
      close={close}
      position="bottom-end"
      width={420}
      label={`Who is ${asked}`}
      target={target}
    >
      {asked.includes('@') ? (
        <Answer address={asked} onDone={close} />
      ) : (
        <Named part={asked} choose={setAsked} onDone={close} />
      )}
    </Panel>
  );
}

const SHOWN = 8;

/** Whose address or name holds what was typed, of whichever brand. */
function Named({ part, choose, onDone }: { part: string; choose: (address: string) => void; onDone: () => void }) {
  const brand = useBrand();
  return (
    <Await of={useContacts({ brandId: brand.id, part, limit: SHOWN })} rows={2}>
      {({ items, total }) =>
        items.length === 0 ? (
          <span className="second">Nobody’s address or name holds “{part}”.</span>
        ) : (
          <div className="stack">
            {items.map((one) => (
              <span key={one.id}>
                <Door onClick={() => choose(one.address)}>{one.name ?? one.address}</Door>{' '}
                <span className="second">{one.address}</span>
              </span>
            ))}
            {total > items.length ? (
              <Link className="plain" to={`/contacts?of=all&part=${encodeURIComponent(part)}`} onClick={onDone}>
                All {count(total)}
              </Link>
            ) : null}
          </div>
        )
      }
    </Await>
  );
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
              <Capped verdict={verdict} />
            </div>
          ))}
          {check.subscriptions.some((row) => row.state === 'subscribed' && row.brandId === brand.id) ? (
            <UnsubscribeOnRequest address={check.address} subscriptions={check.subscriptions} />
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
