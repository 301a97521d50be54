import { TextInput } from '@mantine/core';
import { useState } from 'react';
import { count } from '../../components/words.ts';

/** Whoever sends a service message types how many it reaches although they opted out, complained or are at sunset. */
export function SayInSpite({ reached, onSaid }: { reached: number; onSaid: (said: boolean) => void }) {
  const [typed, setTyped] = useState('');
  return (
    <TextInput
      label={`It reaches ${count(reached)} who would get no marketing. Type that number`}
      inputMode="numeric"
      value={typed}
      onChange={(event) => {
        setTyped(event.currentTarget.value);
        onSaid(event.currentTarget.value.replaceAll(/[\s,.]/g, '') === String(reached));
      }}
    />
  );
}
