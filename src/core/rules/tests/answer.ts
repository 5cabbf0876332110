import * as z from 'zod';
import { checkComparison, compare, comparisonShape } from '../compare';
import { valueAt } from '../facts';
import { isAmount, sayComparison, sayName, sayValue } from '../wording';
import { propertyName, type Value } from '../value';
import type { TestKind } from './kind';

export const answerSchema = z.union([
  z.strictObject({ test: z.literal('answer'), step: z.string().min(1).max(40), came: z.boolean() }),
  z
    .strictObject({ test: z.literal('answer'), step: z.string().min(1).max(40), property: propertyName, ...comparisonShape })
    .superRefine(checkComparison),
]);

const currencyOf = (property: string, currency: string | undefined) => (isAmount(property) ? currency : undefined);

/** What an earlier step of the run waited for: whether it came, and what came with it. Known only inside a flow. */
export const answerKind: TestKind<z.infer<typeof answerSchema>> = {
  look(test, _, view) {
    const answer = view.answers?.[test.step];
    if ('came' in test) return { holds: (answer !== undefined) === test.came, until: null, saw: answer !== undefined };
    const value = answer && valueAt(answer.data, test.property);
    return { holds: compare(value, test), until: null, saw: value };
  },
  needs: () => [],
  isForFlows: () => true,
  says: (test, wording) =>
    'came' in test
      ? `what was waited for ${test.came ? 'came' : 'did not come'}`
      : `${sayName(test.property)} of what came ${sayComparison(test, currencyOf(test.property, wording.currency))}`,
  saySaw: (test, { saw }, wording) =>
    'came' in test
      ? `what was waited for ${saw === true ? 'came' : 'did not come'}`
      : `${sayName(test.property)} of what came was ${sayValue(saw as Value | undefined, currencyOf(test.property, wording.currency))}`,
};
