import { useMediaQuery } from '@mantine/hooks';

/** Whether the page is as narrow as a phone; the same width as in style.css. */
export function useNarrow(): boolean {
  return useMediaQuery('(max-width: 640px)', false, { getInitialValueInEffect: false });
}
