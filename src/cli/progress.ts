import { visible } from '../core/text/visible.ts';
import { paceWords } from '../client/wording/pace.ts';

const WIDEST = 30;
/** Of a terminal that does not say how wide it is. */
const STANDARD_COLUMNS = 80;

/**
 * Draws how far long work is on a terminal, how fast it goes and how long it still takes; elsewhere it says nothing.
 * The pace is that since the first drawing: work that goes on after a break is not thought slow.
 */
export function makeProgress() {
  let first: { at: number; done: number } | undefined;
  return {
    draw(label: string, done: number, whole: number): void {
      if (!process.stderr.isTTY) return;
      first ??= { at: Date.now(), done };
      const words = paceWords(done, whole, (1000 * (done - first.done)) / (Date.now() - first.at));
      // A line that is broken in two could not be drawn over.
      const width = Math.max(
        0,
        Math.min(WIDEST, (process.stderr.columns || STANDARD_COLUMNS) - label.length - words.length - 3),
      );
      const filled = whole === 0 ? 0 : Math.min(width, Math.round((width * done) / whole));
      process.stderr.write(`\r${visible(label)} ${'█'.repeat(filled)}${'░'.repeat(width - filled)} ${words}\u001b[K`);
    },
    /** Takes the line off the terminal. */
    end(): void {
      if (process.stderr.isTTY) process.stderr.write('\r\u001b[K');
    },
  };
}
