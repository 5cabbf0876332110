'use client';

import { useState } from 'react';
import type { WarmUpView } from '@/core/api';
import { daysOfWarmUp, mostOnDay, usualWarmUp, warmUpSchema, type WarmUp } from '@/core/messages';
import { api, attempt, Button, Dialog, Field, issuesOf, Label, NumberField, plural, sayCount } from '../kit';

/** How a sender grows that mail servers do not know yet: where it stands today, and the plan itself. */
export function WarmUpPart({
  of,
  name,
  warmUp,
  onChanged,
}: {
  of: string;
  name: string;
  warmUp: WarmUpView | null;
  onChanged: () => void;
}) {
  const [plan, setPlan] = useState<WarmUp | null>(null);
  const store = (next: WarmUp | null) =>
    attempt(
      async () => {
        await api(`/senders/${of}/warm-up`, next ? { method: 'PUT', body: next } : { method: 'DELETE' });
        setPlan(null);
        onChanged();
      },
      next ? 'Saved. What is too much for a day goes out on the next.' : 'As many go out as are due.',
    );
  const problem = plan && issuesOf(warmUpSchema.safeParse(plan))[0];
  const days = plan && !problem ? daysOfWarmUp(plan) : 0;
  return (
    <>
      {warmUp && (
        <span className="text-xs text-soft tabular">
          {warmUp.today.most === null ? (
            <Label tone="good">known</Label>
          ) : (
            `${sayCount(warmUp.today.handed)} of at most ${plural(warmUp.today.most, 'letter', 'letters')} today, ` +
            `${plural(warmUp.daysLeft, 'day', 'days')} to go`
          )}
        </span>
      )}
      <Button onClick={() => setPlan(warmUp ? { first: warmUp.first, growth: warmUp.growth, until: warmUp.until } : usualWarmUp())}>
        {warmUp ? 'Warm-up…' : 'Warm up…'}
      </Button>
      {plan && (
        <Dialog
          isOpen
          onClose={() => setPlan(null)}
          title={`Warm-up of “${name}”`}
          about={
            'Mail servers trust a new sender step by step. On each day so much marketing goes out at most; ' +
            'what is more waits for the next day. Service messages always go.'
          }
        >
          <form
            className="grid gap-3"
            onSubmit={(event) => {
              event.preventDefault();
              if (!problem) void store(plan);
            }}
          >
            <Field label="Letters on the first day">
              <NumberField
                min={1}
                max={1_000_000}
                value={plan.first}
                onChange={(first) => setPlan({ ...plan, first: Math.round(first) })}
              />
            </Field>
            <Field label="Each day more by, %" hint="Half as many more is common; never more than twice as many">
              <NumberField min={1} max={300} value={plan.growth} onChange={(growth) => setPlan({ ...plan, growth: Math.round(growth) })} />
            </Field>
            <Field label="Known from, letters a day" problem={problem ? problem.message : null}>
              <NumberField
                min={1}
                max={10_000_000}
                value={plan.until}
                onChange={(until) => setPlan({ ...plan, until: Math.round(until) })}
              />
            </Field>
            {!problem && (
              <p className="tabular" data-testid="warm-up-plan">
                {days
                  ? `${[0, 1, 2, 3]
                      .flatMap((day) => mostOnDay(plan, day) ?? [])
                      .map((most) => sayCount(most))
                      .join(', ')}${days > 4 ? ' …' : ''}: for ${plural(days, 'day', 'days')}, then as many as are due.`
                  : 'It is known from the first day: nothing is kept back.'}
              </p>
            )}
            <div className="flex justify-end gap-2">
              {warmUp && (
                <Button changes="/senders" onClick={() => void store(null)} className="mr-auto">
                  Remove
                </Button>
              )}
              <Button onClick={() => setPlan(null)}>Cancel</Button>
              <Button changes="/senders" type="submit" kind="primary" disabled={Boolean(problem)}>
                Save
              </Button>
            </div>
          </form>
        </Dialog>
      )}
    </>
  );
}
