import * as z from 'zod';
import { durationSchema } from '../rules';

/** A property by which one cart, order or other thing is told from another. */
export const propertyKey = z.string().regex(/^[\p{L}_][\p{L}\p{N}_]{0,59}$/u, 'is not a property name');

export const positiveDuration = durationSchema.refine((text) => !/^P(T?0+[A-Z])+$/.test(text), 'must be longer than no time');

/** A time of day: hours and minutes. */
export const clockTime = z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, 'is not a time of day; write hours and minutes, for example 09:00');

/** So many days from a day, as the words before it: "on", "3 days before", "1 day after". */
export const sayDaysFrom = (days: number): string =>
  days === 0 ? 'on' : `${Math.abs(days)} ${Math.abs(days) === 1 ? 'day' : 'days'} ${days < 0 ? 'before' : 'after'}`;

/** The key of a flow. */
export const flowKey = z.string().regex(/^[a-z0-9][a-z0-9-]{0,59}$/, 'is not the key of a flow');

export const stepId = z.string().regex(/^[a-z0-9][a-z0-9-]{0,39}$/, 'is not a step id; use a-z, 0-9 and -');

/** A name that people give. */
export const name = z.string().trim().min(1, 'must not be empty').max(80);
