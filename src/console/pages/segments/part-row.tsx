import { Autocomplete, NativeSelect, TextInput, VisuallyHidden } from '@mantine/core';
import { IconPencil, IconX } from '@tabler/icons-react';
import { useState, type KeyboardEvent } from 'react';
import type { ConditionNames, ConditionProblem } from '../../../shared/contract/conditions.ts';
import { withoutNot, type Part } from './rows.ts';
import { cutIntoSlots, putIntoSlot, type Slot } from './slots.ts';
import { completePart } from './suggestions.ts';
import { useWriting } from './use-writing.ts';
import css from './builder.module.css';

interface Props {
  part: Part;
  names: ConditionNames | undefined;
  problem: ConditionProblem | undefined;
  change: (text: string) => void;
  /** Whether its group leaves out whoever matches, and so says “not” for it. */
  isLeftOut: boolean;
  /** Leads the focus into the part, or on from one of its values, counted from 0, or from its words as a whole. */
  lead: { into: () => void; on: (slot?: number) => void };
  remove: () => void;
}

/** One part: its words with the values to be changed where they stand, or all of it as text with names completed. */
export function PartRow({ part, names, problem, change, isLeftOut, lead, remove }: Props) {
  const [asText, setAsText] = useState(part.text === '');
  const { isWriting, writing } = useWriting();
  // Half of a part cannot be read: nothing is said against it before it is left.
  const refused = isWriting ? undefined : problem;
  if (refused && !asText) setAsText(true);
  const leave = (typed: string): void => {
    const text = isLeftOut ? withoutNot(typed) : typed;
    if (text !== part.text) change(text);
    setAsText(text.trim() === '');
  };
  const showWords = (): void => {
    setAsText(true);
    lead.into();
  };
  return (
    <div className={css.part} data-part={part.key} data-refused={refused ? true : undefined} {...writing}>
      <span className={css.partWords}>
        {asText ? (
          <WholePart
            part={part}
            offered={completePart(isLeftOut ? withoutNot(part.text) : part.text, names)}
            change={change}
            leave={leave}
            goOn={() => lead.on()}
            refused={refused !== undefined}
          />
        ) : (
          <Slots part={part} names={names} change={change} goOn={lead.on} />
        )}
        {isLeftOut && !asText && withoutNot(part.text) !== part.text ? (
          <span className={`second ${css.partNote}`}>
            “Not” within what is left out: who stays is whoever matches “{withoutNot(part.text)}”.
          </span>
        ) : null}
        {refused ? (
          <span className={css.partProblem} role="alert">
            <IconX size={14} aria-hidden /> {refused.message}
          </span>
        ) : null}
      </span>
      <Acts of={part.text} showWords={asText ? undefined : showWords} remove={remove} />
    </div>
  );
}

interface ActsProps extends Pick<Props, 'remove'> {
  of: string;
  /** Undefined while all its words stand there. */
  showWords: (() => void) | undefined;
}

function Acts({ of, showWords, remove }: ActsProps) {
  return (
    <span className={css.partActs}>
      {showWords ? (
        <button type="button" className="plain" aria-label={`Change the words of “${of}”`} onClick={showWords}>
          <IconPencil size={15} aria-hidden />
        </button>
      ) : null}
      <button
        type="button"
        className="plain"
        aria-label={of === '' ? 'Remove this part' : `Remove “${of}”`}
        onClick={remove}
      >
        <IconX size={15} aria-hidden />
      </button>
    </span>
  );
}

interface WholeProps extends Pick<Props, 'part' | 'change'> {
  offered: string[];
  leave: (text: string) => void;
  goOn: () => void;
  refused: boolean;
}

/** The part as text. Enter takes the suggestion that is marked, or what is typed where nothing goes on from it. */
function WholePart({ part, offered, change, leave, goOn, refused }: WholeProps) {
  const marked = part.text.trim() === '' ? undefined : offered[0];
  const take = (text: string): void => {
    leave(text);
    goOn();
  };
  const onKeyDown = (event: KeyboardEvent<HTMLInputElement>): void => {
    const list = document.getElementById(event.currentTarget.getAttribute('aria-controls') ?? '');
    if (event.key === 'Enter' && !list?.querySelector('[data-combobox-selected]')) take(part.text);
  };
  return (
    <>
      <Autocomplete
        aria-label="A part, in words"
        placeholder="clicked in the last 30 days"
        data-stop
        data={offered}
        filter={({ options }) => options}
        selectFirstOptionOnChange={marked !== undefined}
        value={part.text}
        onChange={change}
        onOptionSubmit={take}
        onBlur={() => leave(part.text)}
        onKeyDown={onKeyDown}
        error={refused}
        w="100%"
        spellCheck={false}
      />
      <VisuallyHidden role="status">{marked && marked !== part.text ? `Enter takes: ${marked}` : ''}</VisuallyHidden>
    </>
  );
}

interface SlotsProps extends Pick<Props, 'part' | 'names' | 'change'> {
  goOn: (slot: number) => void;
}

function Slots({ part, names, change, goOn }: SlotsProps) {
  const pieces = cutIntoSlots(part.text, names);
  const slots = pieces.flatMap((piece, index) => (typeof piece === 'string' ? [] : [index]));
  return pieces.map((piece, index) =>
    typeof piece === 'string' ? (
      <span key={index} className="as-written">
        {piece}
      </span>
    ) : (
      <SlotInput
        key={piece.choices ? index : `${index} ${piece.text}`}
        slot={piece}
        words={part.text}
        take={(value) => change(putIntoSlot(pieces, index, value))}
        goOn={() => goOn(slots.indexOf(index))}
      />
    ),
  );
}

/** A value is taken on Enter or on leaving it, so that half-typed ones are not asked about. */
function SlotInput({
  slot,
  words,
  take,
  goOn,
}: {
  slot: Slot;
  words: string;
  take: (value: string) => void;
  goOn: () => void;
}) {
  const [value, setValue] = useState(slot.text);
  const label = `${slot.text} in “${words}”`;
  const done = (): void =>
    value.trim() === '' ? setValue(slot.text) : value !== slot.text ? take(value.trim()) : undefined;
  const onEnter = (event: KeyboardEvent): void => {
    if (event.key !== 'Enter') return;
    event.preventDefault();
    done();
    goOn();
  };
  if (slot.choices)
    return (
      <NativeSelect
        className={css.slot}
        aria-label={label}
        data-stop
        data={slot.choices.includes(slot.text) ? slot.choices : [slot.text, ...slot.choices]}
        value={slot.text}
        onChange={(event) => take(event.currentTarget.value)}
        onKeyDown={onEnter}
      />
    );
  return (
    <TextInput
      className={css.slot}
      aria-label={label}
      data-stop
      value={value}
      onChange={(event) => setValue(event.currentTarget.value)}
      onBlur={done}
      onKeyDown={onEnter}
      style={{ width: `calc(${Math.max(2, value.length)}ch + 22px)` }}
    />
  );
}
