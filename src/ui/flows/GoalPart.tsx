'use client';

import { sayGoal, wordingOf, type FlowDocument, type Goal } from '@/core/flows';
import { DurationField, Field, inputClass, useStore } from '../kit';
import { Asked, RuleEditor } from '../rules';
import { EventField, FlowField, Tick, type Edit } from './fields';

type Way = 'none' | 'event' | 'rule';

/** What a flow is for: something that people do, or a rule that comes to hold; what counts is when, and what follows. */
export function GoalPart({ document, edit }: { document: FlowDocument; edit: Edit }) {
  const { currency } = useStore();
  const { goal } = document;
  const put = (to: Goal | null, field: string) => edit({ ...document, goal: to }, `goal.${field}`);
  const choose = (way: Way) => {
    const ways = goal
      ? { within: goal.within, ends: goal.ends, ...(goal.handTo && { handTo: goal.handTo }) }
      : { within: 'P7D', ends: true };
    put(way === 'none' ? null : way === 'event' ? { event: 'order.placed', ...ways } : { rule: { all: [] }, ...ways }, 'way');
  };
  return (
    <fieldset className="grid gap-3 rounded-md border border-line p-3">
      <legend className="px-1 text-xs font-semibold text-soft">Goal</legend>
      <p>{goal ? `A person ${sayGoal(goal, wordingOf(document, currency))}${goal.ends ? '; that ends the run' : ''}` : 'none'}</p>
      <Field label="Reached by">
        <select
          value={goal ? ('rule' in goal ? 'rule' : 'event') : 'none'}
          onChange={(event) => choose(event.target.value as Way)}
          className={inputClass}
        >
          <option value="none">nothing: there is no goal</option>
          <option value="event">something that they do</option>
          <option value="rule">a condition that comes to hold</option>
        </select>
      </Field>
      {goal && 'event' in goal && (
        <>
          <EventField label="What they do" value={goal.event} onChange={(event) => put({ ...goal, event }, 'event')} />
          <Asked
            event={goal.event}
            where={goal.where ?? []}
            onChange={(where, field) => {
              const { where: _, ...rest } = goal;
              put(where.length ? { ...rest, where } : rest, field);
            }}
          />
        </>
      )}
      {goal && 'rule' in goal && (
        <RuleEditor
          rule={goal.rule}
          startedBy={document.triggers[0]!.event}
          onChange={(rule, tag) => put({ ...goal, rule }, tag && `rule.${tag}`)}
        />
      )}
      {goal && (
        <>
          <DurationField label="Within, after entering" value={goal.within} onChange={(within) => put({ ...goal, within }, 'within')} />
          <Tick label="Who reaches it leaves the flow" isOn={goal.ends} onChange={(ends) => put({ ...goal, ends }, 'ends')} />
          <FlowField
            label="Who reaches it goes on to"
            value={goal.handTo ?? ''}
            none="no other flow"
            onChange={(key) => {
              const { handTo: _, ...rest } = goal;
              put(key ? { ...rest, handTo: key } : rest, 'handTo');
            }}
          />
        </>
      )}
    </fieldset>
  );
}
