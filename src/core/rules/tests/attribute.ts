import * as z from 'zod';
import { checkComparison, compare, comparisonShape } from '../compare';
import { valueAt } from '../facts';
import { sayComparison, sayName, sayValue } from '../wording';
import { propertyName, type Value } from '../value';
import type { TestKind } from './kind';

export const attributeSchema = z
  .strictObject({ test: z.literal('attribute'), name: propertyName, ...comparisonShape })
  .superRefine(checkComparison);

/** What is on file about the person. */
export const attributeKind: TestKind<z.infer<typeof attributeSchema>> = {
  look(test, facts) {
    const value = valueAt(facts.attributes, test.name);
    return { holds: compare(value, test), until: null, saw: value };
  },
  needs: (test) => [{ kind: 'attribute', name: test.name }],
  says: (test, wording) => `${wording.isWhose ? 'whose ' : ''}${sayName(test.name)} ${sayComparison(test)}`,
  saySaw: (test, { saw }) => `${sayName(test.name)} was ${sayValue(saw as Value | undefined)}`,
};
