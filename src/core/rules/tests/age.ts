import * as z from 'zod';
import { anniversary, dayAt, dayNumber, startOfDayNumber, yearOfDay } from '../../time';
import { compare, type Comparison } from '../compare';
import { valueAt } from '../facts';
import { propertyName } from '../value';
import { sayComparison, sayName } from '../wording';
import type { TestKind } from './kind';

const years = z.int().min(0).max(1000);
export const ageSchema = z
  .strictObject({
    test: z.literal('age'),
    name: propertyName,
    op: z.enum(['is', 'atLeast', 'atMost', 'below', 'above', 'between']),
    value: z.union([years, z.tuple([years, years])]),
  })
  .refine(({ op, value }) => (op === 'between' ? Array.isArray(value) && value[0] <= value[1] : typeof value === 'number'), {
    path: ['value'],
    message: 'does not fit the comparison',
    params: { right: 'whole years; two of them, the smaller first, for between' },
  });

/** The full years from a day on file to today: who was born on 29 February is a year older on the 28th. */
export const ageKind: TestKind<z.infer<typeof ageSchema>> = {
  look(test, facts, { now, zone }) {
    const value = valueAt(facts.attributes, test.name);
    const day = typeof value === 'string' ? dayNumber(value) : null;
    const today = dayAt(now, zone);
    if (day === null || day > today) return { holds: false, until: day === null ? null : startOfDayNumber(day, zone), saw: null };
    const year = yearOfDay(today);
    const hasHad = anniversary(day, year) <= today;
    const age = year - yearOfDay(day) - (hasHad ? 0 : 1);
    return {
      holds: compare(age, test as Comparison),
      until: startOfDayNumber(anniversary(day, hasHad ? year + 1 : year), zone),
      saw: age,
    };
  },
  needs: (test) => [{ kind: 'attribute', name: test.name }],
  turns: () => true,
  says: (test, wording) => `${wording.isWhose ? 'whose ' : ''}years since ${sayName(test.name)} ${many(sayComparison(test as Comparison))}`,
  saySaw: (test, { saw }) => (saw === null ? `${sayName(test.name)} was not known` : `it was ${saw as number}`),
};
const many = (says: string) => says.replace(/^is/, 'are');
