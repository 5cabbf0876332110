'use client';

import {
  set,
  useForm,
  type DefaultValues,
  type FieldErrors,
  type FieldPath,
  type FieldValues,
  type Resolver,
  type UseFormReturn,
} from 'react-hook-form';
import type { z } from 'zod';
import { problemsOf, type FieldProblem } from '@/core/api';
import { ApiError } from './api';

/** The fields of a form, read by `Schema`: as they are typed, and as they are handed on. */
export type Asked<In extends FieldValues, Out = In> = UseFormReturn<In, unknown, Out>;

/** What is wrong with a field, to stand under it: "This is too short: at least 12 characters." */
export const sayProblem = ({ wrong, right }: FieldProblem): string => (wrong === 'is empty' ? 'Fill this in.' : `This ${wrong}: ${right}.`);

/** Reads the fields by a schema; what does not fit stands at its field in the words in which the interface would refuse it. */
export const resolverOf =
  <In extends FieldValues, Out>(schema: z.ZodType<Out, In>): Resolver<In, unknown, Out> =>
  (values) => {
    const read = schema.safeParse(values);
    if (read.success) return { values: read.data, errors: {} };
    const errors: FieldErrors<In> = {};
    for (const problem of problemsOf(read.error)) set(errors, problem.field, { type: 'schema', message: sayProblem(problem) });
    return { values: {}, errors };
  };

/**
 * A form over a schema: its fields begin as `start`, and are looked at when it is handed in, from then on as they are typed.
 * Not as they are left: what is said then would move the button away from under the click that left them.
 */
export function useAsked<In extends FieldValues, Out>(schema: z.ZodType<Out, In>, start: DefaultValues<NoInfer<In>>): Asked<In, Out> {
  return useForm<In, unknown, Out>({ resolver: resolverOf(schema), defaultValues: start });
}

/** Puts what the server found wrong at the fields it names. Answers whether all of it has found its place. */
export function placeProblems<In extends FieldValues>(form: Asked<In, unknown>, error: unknown): boolean {
  const problems = error instanceof ApiError ? (error.problem.errors ?? []) : [];
  const known = problems.filter((problem) => (problem.field.split(/[.[]/)[0] ?? '') in form.getValues());
  for (const problem of known) form.setError(problem.field as FieldPath<In>, { type: 'server', message: sayProblem(problem) });
  return problems.length > 0 && known.length === problems.length;
}
