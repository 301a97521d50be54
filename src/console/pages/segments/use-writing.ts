import { useState, type FocusEvent } from 'react';

const isField = (one: EventTarget | null): one is HTMLElement =>
  one instanceof HTMLInputElement || one instanceof HTMLTextAreaElement || one instanceof HTMLSelectElement;

/** Whether somebody is writing in a field within an element, which takes `writing`. */
export function useWriting() {
  const [isWriting, setWriting] = useState(false);
  const writing = {
    onFocus: ({ target }: FocusEvent) => setWriting(isField(target)),
    // From one field to the next within it nothing is left.
    onBlur: ({ currentTarget, relatedTarget }: FocusEvent) =>
      setWriting(isField(relatedTarget) && currentTarget.contains(relatedTarget)),
  };
  return { isWriting, writing };
}
