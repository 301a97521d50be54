import { Button } from '@mantine/core';
import type { ReactNode } from 'react';
import { isSame, type Typed } from '../api/use-typed.ts';
import { Rows } from './rows.tsx';

interface Props<T> {
  form: Typed<T>;
  /** What each field is called, in the order of the form. */
  words: Partial<Record<keyof T & string, string>>;
  /** A value in words, where it is no text. */
  show?: (value: T[keyof T], field: keyof T & string) => ReactNode;
}

/** Says that what was typed before is back, or that somebody else has kept something since: what, and what to do. */
export function TypedNote<T extends object>({ form, words, show = String }: Props<T>) {
  const { typed, meanwhile, cameBack, goOnWithMine, leaveMine } = form;
  if (!meanwhile)
    return cameBack ? (
      <p className="note row" role="status">
        What you typed here, and did not keep, is back.
        <Button size="xs" onClick={leaveMine}>
          Leave it
        </Button>
      </p>
    ) : null;
  const fields = Object.entries(words) as [keyof T & string, string][];
  const changed = fields.filter(([field]) => !isSame(meanwhile.was[field], meanwhile.now[field]));
  return (
    <div className="note" role="alert">
      <p>Somebody else has kept a change since you began. Nothing that you typed is lost.</p>
      <Rows
        heads={
          <>
            <th>What</th>
            <th>It was</th>
            <th>It is now</th>
            <th>You have</th>
          </>
        }
      >
        {changed.map(([field, word]) => (
          <tr key={field}>
            <td>{word}</td>
            <td className="second">{show(meanwhile.was[field], field)}</td>
            <td>{show(meanwhile.now[field], field)}</td>
            <td>
              {isSame(typed[field], meanwhile.was[field]) ? (
                <span className="second">as it was</span>
              ) : (
                show(typed[field], field)
              )}
            </td>
          </tr>
        ))}
      </Rows>
      <span className="row">
        <Button onClick={goOnWithMine}>Go on with mine</Button>
        <Button onClick={leaveMine}>Leave mine, take what is kept</Button>
      </span>
      <p className="second">Going on keeps what you typed; where you left a field as it was, it follows theirs.</p>
    </div>
  );
}
