'use client';

import type { ScheduleTrigger, Trigger } from '@/core/flows';
import { recurrenceProblem, sayRecurrence } from '@/core/time';
import { Field, inputClass, useStore } from '../kit';

const PRESETS = ['', 'FREQ=DAILY', 'FREQ=WEEKLY', 'FREQ=MONTHLY', 'FREQ=YEARLY'];
type Timing = Pick<ScheduleTrigger, 'starts' | 'rule' | 'clocks'>;

/** When a schedule comes round: from a moment on, by whose clocks, once or again and again. */
export function ScheduleFields<T extends Timing>({ trigger, put }: { trigger: T; put: (trigger: T, field: string) => void }) {
  return (
    <>
      <Field label={trigger.rule ? 'From' : 'At'}>
        <input
          type="datetime-local"
          value={trigger.starts}
          onChange={(event) => event.target.value && put({ ...trigger, starts: event.target.value.slice(0, 16) }, 'starts')}
          className={inputClass}
        />
      </Field>
      <Clocks trigger={trigger} put={put} />
      <Field label="Comes round">
        <select
          value={trigger.rule === null ? '' : PRESETS.includes(trigger.rule) ? trigger.rule : 'own'}
          onChange={(event) =>
            put(
              {
                ...trigger,
                rule: event.target.value === '' ? null : event.target.value === 'own' ? 'FREQ=MONTHLY;BYDAY=1MO' : event.target.value,
              },
              'rule',
            )
          }
          className={inputClass}
        >
          <option value="">not again</option>
          {PRESETS.slice(1).map((rule) => (
            <option key={rule} value={rule}>
              {sayRecurrence(rule)}
            </option>
          ))}
          <option value="own">by a rule of its own</option>
        </select>
      </Field>
      {trigger.rule !== null && !PRESETS.includes(trigger.rule) && (
        <Field
          label="Rule"
          hint="As RFC 5545 writes it, such as FREQ=WEEKLY;BYDAY=MO,TH;COUNT=10"
          problem={recurrenceProblem(trigger.rule, trigger.starts)}
        >
          <input
            value={trigger.rule}
            onChange={(event) => put({ ...trigger, rule: event.target.value }, 'rule.text')}
            className={`${inputClass} font-mono`}
          />
        </Field>
      )}
    </>
  );
}

/** By whose clocks something comes round. */
export function Clocks<T extends Pick<Extract<Trigger, { kind: 'schedule' | 'date' }>, 'clocks'>>({
  trigger,
  put,
}: {
  trigger: T;
  put: (trigger: T, field: string) => void;
}) {
  const { zone } = useStore();
  return (
    <Field label="By the clocks of" hint={trigger.clocks ? `Whose zone is not known goes by ${zone}.` : undefined}>
      <select
        value={trigger.clocks ?? 'store'}
        onChange={(event) => {
          const { clocks: _, ...rest } = trigger;
          put((event.target.value === 'person' ? { ...rest, clocks: 'person' } : rest) as T, 'clocks');
        }}
        className={inputClass}
      >
        <option value="store">the store ({zone})</option>
        <option value="person">each person, where they are</option>
      </select>
    </Field>
  );
}
