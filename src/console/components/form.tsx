import { Button } from '@mantine/core';
import type { ReactNode } from 'react';

/** The end of a form: what sends it off, and the way to leave it where there is one. */
export function FormEnd({ keep, saving, leave }: { keep: string; saving: boolean; leave?: () => void }) {
  return (
    <span className="row">
      <Button type="submit" loading={saving}>
        {keep}
      </Button>
      {leave ? (
        <Button variant="subtle" onClick={leave}>
          Not now
        </Button>
      ) : null}
    </span>
  );
}

/** A form on a sheet of its own within a page. */
export function SheetForm({ send, children }: { send: () => void; children: ReactNode }) {
  return (
    <form
      className="sheet stack"
      style={{ margin: '8px 0 16px' }}
      onSubmit={(event) => {
        event.preventDefault();
        send();
      }}
    >
      {children}
    </form>
  );
}

/** Does what a reason was given for, or leaves it. */
export function DoOrNot({
  what,
  ready,
  act,
  leave,
}: {
  what: ReactNode;
  ready: boolean;
  act: () => void;
  leave: () => void;
}) {
  return (
    <span className="row">
      <Button disabled={!ready} onClick={act}>
        {what}
      </Button>
      <Button variant="subtle" onClick={leave}>
        Not now
      </Button>
    </span>
  );
}
