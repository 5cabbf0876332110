import * as z from 'zod';
import { dayAt, earliest, HOUR, MINUTE, startOfDayNumber } from '../../time';
import { hoursSchema, isWithin, minutesOf, sayHours } from '../when';
import type { TestKind } from './kind';

export const clockSchema = z.strictObject({ test: z.literal('clock'), hours: hoursSchema });

/** At which time of the week it is, by the store's clock: known only inside a flow, for a segment would change by the hour. */
export const clockKind: TestKind<z.infer<typeof clockSchema>> = {
  look({ hours }, _, { now, zone }) {
    // where the clocks change an hour of the day may come an hour sooner or later: looked at then, too
    const today = dayAt(now, zone);
    const turns = [0, 1].flatMap((by) => {
      const start = startOfDayNumber(today + by, zone);
      const at = [hours.from, hours.to].flatMap((clock) => (clock === undefined ? [] : [start + minutesOf(clock) * MINUTE]));
      return [start, ...at.flatMap((one) => [one - HOUR, one, one + HOUR])];
    });
    return { holds: isWithin(now, hours, zone), until: earliest(turns.filter((one) => one > now)), saw: null };
  },
  needs: () => [],
  turns: () => true,
  isForFlows: () => true,
  says: ({ hours }) => `it is${sayHours(hours)}`,
  saySaw: ({ hours }, { holds }) => `it was${holds ? '' : ' not'}${sayHours(hours)}`,
};
