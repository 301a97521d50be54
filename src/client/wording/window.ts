import type { SendWindow } from '../../shared/contract/campaigns.ts';

const DAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];

/** Days and hours in which messages leave: `Mon to Fri, 09:00 to 18:00`. */
export function windowWords({ days, from, until }: SendWindow): string {
  const inOrder = [...days].sort((one, other) => one - other);
  const isRow = inOrder.every((day, index) => day === inOrder[0]! + index);
  const named =
    inOrder.length === 7
      ? 'every day'
      : isRow && inOrder.length > 2
        ? `${DAYS[inOrder[0]! - 1]} to ${DAYS[inOrder.at(-1)! - 1]}`
        : inOrder.map((day) => DAYS[day - 1]).join(', ');
  return `${named}, ${from} to ${until}`;
}
