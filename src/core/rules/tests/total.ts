import * as z from 'zod';
import { sooner, type Instant } from '../../time';
import { compare, isKnown, whereTest, type Comparison } from '../compare';
import { eventsOf, firstAfter } from '../events';
import { valueAt } from '../facts';
import { eventTypeSchema, propertyName, type Value } from '../value';
import { beginsAnew, hoursSchema, isBefore, passesOut, sayHours, saySince, sinceSchema, spanOf } from '../when';
import { isAmount, sayComparison, sayEvent, sayName, sayValue, sayWhere } from '../wording';
import { counts, isSinceFlow, MOST_ADDED, needsOfCounted, slides } from './counted';
import type { TestKind } from './kind';

const number = z.number();
export const totalSchema = z
  .strictObject({
    test: z.literal('total'),
    event: eventTypeSchema,
    of: propertyName,
    /** what is made of the property over all events that count */
    take: z.enum(['sum', 'average', 'largest', 'smallest', 'different']),
    op: z.enum(['is', 'atLeast', 'above', 'atMost', 'below', 'between']),
    value: z.union([number, z.tuple([number, number])]),
    where: z.array(whereTest).max(20).optional(),
    since: sinceSchema,
    hours: hoursSchema.optional(),
  })
  .refine(({ op, value }) => (op === 'between' ? Array.isArray(value) && value[0] <= value[1] : typeof value === 'number'), {
    path: ['value'],
    message: 'does not fit the comparison',
    params: { right: 'a number; two of them, the smaller first, for between' },
  });
export type TotalTest = z.infer<typeof totalSchema>;

/** Parts of a cent's ten-thousandth are nothing: what is added up in halves and thirds is compared without them. */
const rounded = (amount: number): number => Math.round(amount * 1e6) / 1e6;

/** What is made of the values of a property: null where nothing was there to take it of. */
export function takeOf(take: TotalTest['take'], values: readonly (Value | undefined)[]): number | null {
  if (take === 'different')
    return new Set(values.filter((one) => isKnown(one) && typeof one !== 'object').map((one) => JSON.stringify(one))).size;
  const numbers = values.filter((one) => typeof one === 'number');
  const sum = numbers.reduce((total, one) => total + one, 0);
  if (take === 'sum') return rounded(sum);
  if (!numbers.length) return null;
  if (take === 'average') return rounded(sum / numbers.length);
  return take === 'largest' ? Math.max(...numbers) : Math.min(...numbers);
}

const TAKEN: Record<TotalTest['take'], (name: string) => string> = {
  sum: (name) => `total ${name}`,
  average: (name) => `average ${name}`,
  largest: (name) => `largest ${name}`,
  smallest: (name) => `smallest ${name}`,
  different: (name) => `number of different values of ${name}`,
};
const currencyOf = (test: TotalTest, currency?: string) => (isAmount(test.of) && test.take !== 'different' ? currency : undefined);

/** What a property of all that happened comes to: its sum, average, largest, smallest, or how many different values it had. */
export const totalKind: TestKind<TotalTest> = {
  look(test, facts, view) {
    const span = spanOf(test.since, view, facts);
    const { to } = span;
    const events = eventsOf(facts, test.event);
    const { last, ago } = slides(test.since);
    const values: (Value | undefined)[] = [];
    let until: Instant | null = null;
    if (ago !== undefined) {
      let seen = 0;
      for (const event of events) {
        if (seen === MOST_ADDED) break;
        if (!counts(event, test, view)) continue;
        seen += 1;
        if (event.time <= to) values.push(valueAt(event.properties, test.of));
        else {
          // the next that comes to be long enough ago is added
          until = passesOut(event.time, ago, view);
          break;
        }
      }
    } else {
      let oldest: Instant | null = null;
      for (let at = firstAfter(events, to) - 1; at >= 0 && values.length < MOST_ADDED; at--) {
        const event = events[at]!;
        if (isBefore(event, span)) break;
        if (!counts(event, test, view)) continue;
        values.push(valueAt(event.properties, test.of));
        oldest = event.time;
      }
      if (last !== undefined && oldest !== null) until = passesOut(oldest, last, view);
      // one that is stamped by a clock ahead of ours counts when its moment has come
      until = sooner(sooner(until, events[firstAfter(events, view.now)]?.time ?? null), beginsAnew(test.since, facts, view.now));
    }
    const taken = takeOf(test.take, values);
    return { holds: taken !== null && compare(taken, test as Comparison), until, saw: taken };
  },
  needs: (test) => needsOfCounted(test.event, test, { times: MOST_ADDED, also: [test.of] }),
  turns: () => true,
  isForFlows: isSinceFlow,
  says(test, wording) {
    const currency = currencyOf(test, wording.currency);
    const what = `${wording.isWhose ? 'whose ' : ''}${TAKEN[test.take](sayName(test.of))} ${sayComparison(test as Comparison, currency)}`;
    return `${what} over every time they ${sayEvent(test.event)}${sayWhere(test.where, wording.currency)}${saySince(test.since)}${sayHours(test.hours)}`;
  },
  saySaw: (test, { saw }, wording) =>
    saw === null ? 'there was nothing to take it of' : `it was ${sayValue(saw as number, currencyOf(test, wording.currency))}`,
};
