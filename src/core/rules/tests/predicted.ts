import * as z from 'zod';
import { checkComparison, compare, comparisonShape } from '../compare';
import { valueAt } from '../facts';
import type { Value } from '../value';
import { sayComparison, sayValue } from '../wording';
import type { TestKind } from './kind';

/** What can be predicted of a person. Numbers are at least 0; a chance is at most 1. */
export const PREDICTIONS = {
  ordersExpected: { says: 'expected orders in a year', kind: 'number', most: 10_000 },
  valueExpected: { says: 'expected value of a year', kind: 'number', most: 1e9 },
  chanceOfBuying: { says: 'chance of buying within a year', kind: 'number', most: 1 },
  nextOrder: { says: 'expected day of the next order', kind: 'day', most: 0 },
} as const;
type Predicted = keyof typeof PREDICTIONS;

const NUMERIC: readonly string[] = ['atLeast', 'above', 'atMost', 'below', 'between', 'known', 'unknown'];
const DAILY: readonly string[] = ['onOrAfter', 'onOrBefore', 'known', 'unknown'];

export const predictedSchema = z
  .strictObject({ test: z.literal('predicted'), of: z.enum(Object.keys(PREDICTIONS) as [Predicted]), ...comparisonShape })
  .superRefine((test, ctx) => {
    checkComparison(test, ctx);
    const { kind, most } = PREDICTIONS[test.of];
    if (!(kind === 'day' ? DAILY : NUMERIC).includes(test.op))
      ctx.addIssue({ code: 'custom', path: ['op'], message: `does not fit a ${kind}` });
    else if (kind === 'number' && [test.value].flat().some((one) => typeof one === 'number' && (one < 0 || one > most)))
      ctx.addIssue({ code: 'custom', path: ['value'], message: `must be from 0 to ${most}` });
  });

/** The attribute that holds what is predicted: a group of values under these names. */
export const PREDICTED = 'predicted';

/** What is expected of somebody. The numbers stand in the attribute `predicted`: reckoned weekly from the store's orders, or told by the shop. */
export const predictedKind: TestKind<z.infer<typeof predictedSchema>> = {
  look(test, facts) {
    const value = valueAt(facts.attributes, `${PREDICTED}.${test.of}`);
    return { holds: compare(value, test), until: null, saw: value };
  },
  needs: (test) => [{ kind: 'attribute', name: `${PREDICTED}.${test.of}` }],
  says: (test, wording) =>
    `${wording.isWhose ? 'whose ' : ''}${PREDICTIONS[test.of].says} ${sayComparison(test, test.of === 'valueExpected' ? wording.currency : undefined)}`,
  saySaw: (test, { saw }) => `${PREDICTIONS[test.of].says} was ${sayValue(saw as Value | undefined)}`,
};
