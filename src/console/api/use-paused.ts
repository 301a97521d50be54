import { useDebouncedValue } from '@mantine/hooks';
import { useMemo } from 'react';

/** How long nothing more is typed before what was typed is asked. */
export const PAUSE_MS = 300;

/**
 * What was typed, once nothing more is typed for a moment, since with millions of contacts each count takes some
 * seconds; and whether it is what stands there now.
 */
export function usePaused<T>(value: T): [paused: T, isUpToDate: boolean] {
  const typed = JSON.stringify(value) as string | undefined;
  const [text] = useDebouncedValue(typed, PAUSE_MS);
  const paused = useMemo(() => (text === undefined ? undefined : JSON.parse(text)) as T, [text]);
  return [paused, text === typed];
}

/** Whether something goes on for so long that it is worth saying so. */
export function useLasting(goesOn: boolean): boolean {
  const [lasted] = useDebouncedValue(goesOn, PAUSE_MS);
  return goesOn && lasted;
}
