import * as z from 'zod';
import { sayElapsed, sooner, type Instant } from '../../time';
import { valueAt, type AttributeChange } from '../facts';
import { outermost, propertyName, scalar, type Value } from '../value';
import { passesOut, saySince, sinceSchema, spanOf } from '../when';
import { sayName, sayValue } from '../wording';
import { slides } from './counted';
import type { TestKind } from './kind';

/**
 * How an attribute has changed: at all, or risen or fallen by an amount at least; from a value, to one. What somebody is
 * first known with is no change.
 */
export const changedSchema = z
  .strictObject({
    test: z.literal('changed'),
    name: propertyName,
    way: z.enum(['any', 'rose', 'fell']),
    by: z.number().positive().optional(),
    from: scalar.optional(),
    to: scalar.optional(),
    since: sinceSchema.refine((since) => typeof since !== 'object' || !('after' in since), {
      message: 'cannot begin with an event here',
      params: { right: '"ever", "entry", {last}, {ago} or days' },
    }),
  })
  .refine(({ way, by }) => by === undefined || way !== 'any', { path: ['by'], message: 'goes with "rose" or "fell"' });
type ChangedTest = z.infer<typeof changedSchema>;

function isSuch(test: ChangedTest, change: AttributeChange): boolean {
  const [was, is] = [change.was, change.is].map((value) =>
    value === null ? undefined : (valueAt({ [change.name]: value } as { [name: string]: Value }, test.name) ?? undefined),
  );
  if (test.from !== undefined && was !== test.from) return false;
  if (test.to !== undefined && is !== test.to) return false;
  if (test.way === 'any') return JSON.stringify(was) !== JSON.stringify(is);
  if (typeof was !== 'number' || typeof is !== 'number') return false;
  const by = test.way === 'rose' ? is - was : was - is;
  return test.by === undefined ? by > 0 : by >= test.by;
}

const WAYS = { any: 'changed', rose: 'risen', fell: 'fallen' } as const;

export const changedKind: TestKind<ChangedTest> = {
  look(test, facts, view) {
    const span = spanOf(test.since, view);
    const { last, ago } = slides(test.since);
    let until: Instant | null = null;
    let newest: Instant | null = null;
    for (const change of facts.changes) {
      if (change.name !== outermost(test.name) || !isSuch(test, change)) continue;
      const { at } = change;
      const isEarly = span.isFrom ? at < span.after : at <= span.after;
      if (last !== undefined && !isEarly) until = sooner(until, passesOut(at, last, view));
      if (ago !== undefined && at > span.to) until = sooner(until, passesOut(at, ago, view));
      if (at > view.now) until = sooner(until, at);
      if (!isEarly && at <= span.to) newest = at;
    }
    return { holds: newest !== null, until, saw: newest };
  },
  needs: (test) => [{ kind: 'attribute', name: test.name, changes: true }],
  turns: () => true,
  isForFlows: ({ since }) => since === 'entry' || since === 'start',
  says(test, wording) {
    const by = test.by === undefined ? '' : ` by ${sayValue(test.by)} or more`;
    const from = test.from === undefined ? '' : ` from ${sayValue(test.from)}`;
    const to = test.to === undefined ? '' : ` to ${sayValue(test.to)}`;
    return `${wording.isWhose ? 'whose ' : ''}${sayName(test.name)} has ${WAYS[test.way]}${by}${from}${to}${saySince(test.since)}`;
  },
  saySaw: (test, { saw }, _, at) =>
    saw === null ? `${sayName(test.name)} did not` : `${sayName(test.name)} did ${sayElapsed(at - (saw as Instant))} before`,
};
