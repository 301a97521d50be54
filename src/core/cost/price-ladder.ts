import type { PriceLadder } from '../../shared/contract/cost.ts';
/** What an organisation pays for keeping contacts: the price of a month by how many count, as its contract says. */
export type { PriceLadder } from '../../shared/contract/cost.ts';

export interface LadderProblem {
  field: string;
  message: string;
}

/** Problems of a ladder, each at its place. */
export function reportPriceProblems({ steps }: PriceLadder): LadderProblem[] {
  if (steps.length === 0) return [{ field: 'steps', message: 'There is no step.' }];
  return steps.flatMap((step, index): LadderProblem[] => {
    const before = steps[index - 1];
    if (!before)
      return step.from === 0 ? [] : [{ field: 'steps.0.from', message: 'The first step begins at 0 contacts.' }];
    return [
      ...(step.from > before.from
        ? []
        : [{ field: `steps.${index}.from`, message: `A step begins above the one before it (${before.from}).` }]),
      ...(step.month >= before.month
        ? []
        : [
            {
              field: `steps.${index}.month`,
              message: `A step costs no less than the one before it (${before.month}).`,
            },
          ]),
    ];
  });
}

/** The price of a month with so many contacts. */
export function priceOfMonth({ steps }: PriceLadder, contacts: number): number {
  return steps.reduce((price, step) => (contacts >= step.from ? step.month : price), 0);
}
