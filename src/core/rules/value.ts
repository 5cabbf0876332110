import * as z from 'zod';
import { NAME } from '../text';
import { durationProblem } from '../time';

/** What an attribute or an event property can hold. */
export type Value = string | number | boolean | null | readonly Value[] | { readonly [name: string]: Value };

export const scalar = z.union([z.string().max(500), z.number(), z.boolean()]);

export const durationSchema = z
  .string()
  .max(40)
  .superRefine((text, ctx) => {
    const problem = durationProblem(text);
    if (problem) ctx.addIssue({ code: 'custom', message: problem });
  });

export const propertyName = z.string().regex(NAME, 'is not a property name; use letters, digits, _ . and -');
export const eventTypeSchema = z
  .string()
  .max(80)
  .regex(/^[a-z][a-z0-9_]*(\.[a-z0-9_]+)+$/, 'is not an event type; write subject.verb in lower case, for example cart.updated');

/** The outermost name of a path. */
export const outermost = (path: string): string => path.split('.')[0]!;
