export interface OnceAtATime {
  /** Begins a piece, unless one is under way. */
  begin(): void;
  busy(): boolean;
  /** Waits for the piece that is under way. @throws what it failed with, from then on */
  end(): Promise<void>;
}

/** Work of which one piece is under way at a time. A failure is thrown to whoever waits for its end. */
export function onceAtATime(work: () => Promise<void>): OnceAtATime {
  let running: Promise<void> | undefined;
  return {
    begin() {
      running ??= work().then(() => void (running = undefined));
      running.catch(() => undefined);
    },
    busy: () => running !== undefined,
    end: () => running ?? Promise.resolve(),
  };
}
