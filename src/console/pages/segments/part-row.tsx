import { Autocomplete, NativeSelect, TextInput } from '@mantine/core';
import { IconPencil, IconX } from '@tabler/icons-react';
import { useState } from 'react';
import type { ConditionNames, ConditionProblem } from '../../../shared/api-segments.ts';
import type { Part } from './rows.ts';
import { cutIntoSlots, suggestParts, type Slot } from './suggestions.ts';

/** One part: its words with the values to be changed where they stand, or all of it as text with names completed. */
export function PartRow({
  part,
  names,
  problem,
  change,
  remove,
}: {
  part: Part;
  names: ConditionNames | undefined;
  problem: ConditionProblem | undefined;
  change: (text: string) => void;
  remove: () => void;
}) {
  const [asText, setAsText] = useState(part.text === '');
  return (
    <div className="part" data-refused={problem ? true : undefined}>
      <span className="part-words">
        {asText || problem
          ? <WholePart part={part} names={names} change={change} done={() => part.text.trim() !== '' && setAsText(false)} refused={problem !== undefined} />
          : <Slots part={part} names={names} change={change} />}
        {problem ? <span className="part-problem" role="alert"><IconX size={14} aria-hidden /> {problem.message}</span> : null}
      </span>
      <span className="part-acts">
        {asText || problem ? null : <button type="button" className="plain" aria-label={`Change the words of “${part.text}”`} onClick={() => setAsText(true)}><IconPencil size={15} aria-hidden /></button>}
        <button type="button" className="plain" aria-label={part.text === '' ? 'Remove this part' : `Remove “${part.text}”`} onClick={remove}><IconX size={15} aria-hidden /></button>
      </span>
    </div>
  ); // prettier-ignore
}

/** The part as text; Enter, or leaving it, is done. */
function WholePart({ part, names, change, done, refused }: { part: Part; names: ConditionNames | undefined; change: (text: string) => void; done: () => void; refused: boolean }) {
  return (
    <Autocomplete
      aria-label="A part, in words"
      placeholder="clicked in the last 30 days"
      data={suggestParts(names)}
      limit={12}
      value={part.text}
      onChange={change}
      onBlur={done}
      onKeyDown={(event) => event.key === 'Enter' && done()}
      error={refused}
      autoFocus={!refused}
      w="100%"
      spellCheck={false}
    />
  );
} // prettier-ignore

function Slots({
  part,
  names,
  change,
}: {
  part: Part;
  names: ConditionNames | undefined;
  change: (text: string) => void;
}) {
  const pieces = cutIntoSlots(part.text, names);
  const replace = (index: number, value: string): void =>
    change(pieces.map((piece, place) => (place === index ? value : typeof piece === 'string' ? piece : piece.text)).join('')); // prettier-ignore
  return pieces.map((piece, index) =>
    typeof piece === 'string' ? (
      <span key={index} style={{ whiteSpace: 'pre-wrap' }}>{piece}</span>
    ) : (
      <SlotInput key={`${index} ${piece.text}`} slot={piece} words={part.text} take={(value) => replace(index, value)} />
    ),
  ); // prettier-ignore
}

/** A value is taken on Enter or on leaving it, so that half-typed ones are not asked about. */
function SlotInput({ slot, words, take }: { slot: Slot; words: string; take: (value: string) => void }) {
  const [value, setValue] = useState(slot.text);
  const label = `${slot.text} in “${words}”`;
  if (slot.choices)
    return <NativeSelect className="slot" aria-label={label} data={slot.choices.includes(slot.text) ? slot.choices : [slot.text, ...slot.choices]} value={slot.text} onChange={(event) => take(event.currentTarget.value)} />; // prettier-ignore
  const done = (): void => (value.trim() === '' ? setValue(slot.text) : value !== slot.text ? take(value.trim()) : undefined);
  return <TextInput className="slot" aria-label={label} value={value} onChange={(event) => setValue(event.currentTarget.value)} onBlur={done} onKeyDown={(event) => event.key === 'Enter' && done()} style={{ width: `calc(${Math.max(2, value.length)}ch + 22px)` }} />; // prettier-ignore
} // prettier-ignore
