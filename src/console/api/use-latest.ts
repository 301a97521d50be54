import { useRef } from 'react';

/**
 * Of several questions that are asked one after the other only the last one's answer counts, in whatever order they
 * are answered. Called when one is asked, or given up; what it returns says whether no other was since.
 */
export function useLatest(): () => () => boolean {
  const asked = useRef(0);
  return () => {
    const mine = ++asked.current;
    return () => mine === asked.current;
  };
}
