import { TextInput } from '@mantine/core';
import { useDebouncedCallback } from '@mantine/hooks';
import { IconSearch } from '@tabler/icons-react';
import { useState } from 'react';
import { PAUSE_MS } from '../api/use-paused.ts';

interface SearchFieldProps {
  label: string;
  placeholder: string;
  /** What the list is narrowed by now, which may change from outside: by going back, or by showing all. */
  value: string;
  set: (part: string) => void;
}

/**
 * A field that narrows a list. What is typed stands in the field at once, however long the page takes to follow; the
 * list is asked when nothing more is typed for a moment, or at Enter.
 */
export function SearchField({ label, placeholder, value, set }: SearchFieldProps) {
  const [text, setText] = useState(value);
  const [was, setWas] = useState(value);
  // What this field asked for, which the page has not come to yet: it must not be taken for a change from outside.
  const [mine, setMine] = useState<string[]>([]);
  if (value !== was) {
    setWas(value);
    if (mine.includes(value)) setMine(mine.slice(mine.indexOf(value) + 1));
    else setText(value);
  }
  const latest = mine.at(-1) ?? value;
  const ask = (part: string): void => {
    if (part === latest) return;
    setMine((before) => [...before, part]);
    set(part);
  };
  const askSoon = useDebouncedCallback(ask, PAUSE_MS);
  return (
    <TextInput
      aria-label={label}
      placeholder={placeholder}
      leftSection={<IconSearch size={16} aria-hidden />}
      value={text}
      onChange={(event) => {
        setText(event.currentTarget.value);
        askSoon(event.currentTarget.value);
      }}
      onKeyDown={(event) => event.key === 'Enter' && ask(event.currentTarget.value)}
      w={260}
    />
  );
}
