import { NumberInput } from '@mantine/core';

/** A value that was changed and not applied. */
export const CHANGED = { borderColor: 'var(--av-act)', borderWidth: 2, fontWeight: 600 };

/** A whole number of a rule where it stands in its table; marked while it differs from what is saved. */
export function Field({
  label,
  value,
  was,
  min = 0,
  max = 3650,
  onChange,
}: {
  label: string;
  value: number;
  was: number;
  min?: number;
  max?: number;
  onChange: (value: number) => void;
}) {
  return (
    <NumberInput
      aria-label={label}
      value={value}
      min={min}
      max={max}
      allowDecimal={false}
      hideControls
      w={72}
      onChange={(given) => typeof given === 'number' && onChange(given)}
      styles={{ input: { textAlign: 'right', ...(value === was ? {} : CHANGED) } }}
    />
  );
}
