import * as z from 'zod';

/** How a sender that mail servers do not know yet grows: so many letters on its first day, and more each day until it is known. */
export const warmUpSchema = z
  .strictObject({
    /** letters on the first day */
    first: z.int().min(1).max(1_000_000),
    /** by how many per cent a day has more than the one before */
    growth: z.int().min(1).max(300),
    /** with how many letters a day it is known: from then on nothing is kept back */
    until: z.int().min(1).max(10_000_000),
  })
  .refine(({ first, until }) => until >= first, { path: ['until'], message: 'must not be less than on the first day' });
export type WarmUp = z.infer<typeof warmUpSchema>;

/** A plan to begin with: a hundred on the first day, half as many more each day (common practice: at most twice as many). */
export const usualWarmUp = (): WarmUp => ({ first: 100, growth: 50, until: 20_000 });

/** How many letters go out on a day of the plan, the first being 0; null from the day on at which the sender is known. */
export function mostOnDay({ first, growth, until }: WarmUp, day: number): number | null {
  const most = Math.floor(first * (1 + growth / 100) ** Math.max(0, day) + 1e-9);
  return most >= until ? null : most;
}

/** For how many days something is kept back. */
export const daysOfWarmUp = ({ first, growth, until }: WarmUp): number =>
  Math.max(0, Math.ceil(Math.log(until / first) / Math.log(1 + growth / 100) - 1e-9));
