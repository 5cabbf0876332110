import * as z from 'zod';
import { checkComparison, compare, comparisonShape } from '../compare';
import { valueAt } from '../facts';
import { isAmount, sayComparison, sayTriggerProperty, sayValue } from '../wording';
import { propertyName, type Value } from '../value';
import type { TestKind } from './kind';

export const triggerSchema = z
  .strictObject({ test: z.literal('trigger'), property: propertyName, ...comparisonShape })
  .superRefine(checkComparison);

/** What came with the event that started the run: known only inside a flow. */
export const triggerKind: TestKind<z.infer<typeof triggerSchema>> = {
  look(test, _, view) {
    const value = view.about && valueAt(view.about.data, test.property);
    return { holds: compare(value, test), until: null, saw: value };
  },
  needs: () => [],
  isForFlows: () => true,
  says: (test, wording) =>
    `${sayTriggerProperty(test.property, wording)} ${sayComparison(test, isAmount(test.property) ? wording.currency : undefined)}`,
  saySaw: (test, { saw }, wording) =>
    `${sayTriggerProperty(test.property, wording)} was ${sayValue(saw as Value | undefined, isAmount(test.property) ? wording.currency : undefined)}`,
};
