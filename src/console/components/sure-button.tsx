import { useState } from 'react';

interface Props {
  children: string;
  /** What it is called to who cannot see where it stands. */
  ask: string;
  /** What the second press says. */
  sure: string;
  act: () => void;
}

/** What cannot be taken back asks once more; whoever goes on to something else has not said yes. */
export function SureButton({ children, ask, sure, act }: Props) {
  const [asked, setAsked] = useState(false);
  // Where it is refused, what stands beside is pressed next: it must not move under the hand.
  const sayYes = (): void => {
    setAsked(false);
    act();
  };
  return asked ? (
    <button type="button" className="act" autoFocus onBlur={() => setAsked(false)} onClick={sayYes}>
      {sure}
    </button>
  ) : (
    <button type="button" className="act" aria-label={ask} onClick={() => setAsked(true)}>
      {children}
    </button>
  );
}
