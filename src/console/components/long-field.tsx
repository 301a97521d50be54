import { Textarea, type TextareaProps } from '@mantine/core';
import type { Ref } from 'react';

interface Props extends Omit<TextareaProps, 'onChange' | 'value' | 'autosize'> {
  value: string;
  change: (value: string) => void;
  ref?: Ref<HTMLTextAreaElement>;
}

/** A field for a sentence or more, which grows with what is written in it. */
export function LongField({ change, minRows = 2, ...rest }: Props) {
  return <Textarea {...rest} autosize minRows={minRows} onChange={(event) => change(event.currentTarget.value)} />;
}

/** Why something is done, as the journal keeps it. */
export function WhyField({ label = 'Why', ...rest }: Props) {
  return <LongField label={label} description="Kept in the journal, with your name." {...rest} />;
}
