'use client';

import { useState } from 'react';
import { changeStep, freeId, type WaitDate, type WaitStep } from '@/core/flows';
import { sayDone } from '@/core/rules';
import { AgainDialog } from '../again';
import { Button, DurationField, Field, inputClass, NumberField } from '../kit';
import { Hours, RuleEditor, without } from '../rules';
import { NEW_PARCEL, ParcelPart } from './ParcelPart';
import { ArmLabel, EventField, OFFICE, Part, Tick, type Props } from './fields';

const LENGTHS = ['a while', 'a day on file', 'hours of the week', 'the parcel of the order', 'the hour they mostly open'] as const;
const UNTILS = ['nothing', 'an event', 'a condition'] as const;

/** How long people wait, and what ends it before. */
export function WaitPart({ document, step, edit, zone }: Props<WaitStep> & { zone: string }) {
  const set = (next: WaitStep, field: string) =>
    edit(
      changeStep(document, step.id, () => next),
      `${step.id}.${field}`,
    );
  const put = (change: Partial<WaitStep>, field: string) => set({ ...step, ...change }, field);
  const { until, date, hours, parcel } = step;
  const length = step.best ? LENGTHS[4] : parcel ? LENGTHS[3] : date ? LENGTHS[1] : step.for !== undefined ? LENGTHS[0] : LENGTHS[2];
  const plain = () => without(without(without(without(without(without(step, 'for'), 'spread'), 'best'), 'date'), 'parcel'), 'hours');
  const arms = () => [
    { id: freeId(document, `${step.id}-came`), name: 'It came', when: null, steps: [] },
    { id: freeId(document, `${step.id}-late`), name: 'Time ran out', when: null, steps: [] },
  ];
  return (
    <Part title="Wait">
      <Field label="Wait for">
        <select
          value={length}
          onChange={(event) => {
            const to = event.target.value as (typeof LENGTHS)[number];
            if (to === 'a while') set({ ...plain(), for: 'P1D', ...(hours && { hours }) } as WaitStep, 'length');
            else if (to === 'the parcel of the order')
              set({ ...plain(), parcel: NEW_PARCEL, ...(hours && { hours }) } as WaitStep, 'length');
            else if (to === 'a day on file')
              set(
                { ...plain(), date: { of: 'person', name: 'birthday', days: 0, at: '09:00' }, ...(hours && { hours }) } as WaitStep,
                'length',
              );
            else if (to === 'the hour they mostly open') set({ ...plain(), best: { otherwise: '10:00' } } as WaitStep, 'length');
            else set({ ...plain(), hours: hours ?? OFFICE } as WaitStep, 'length');
          }}
          className={inputClass}
        >
          {LENGTHS.map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
      </Field>
      {step.for !== undefined && (
        <DurationField
          label={until ? 'How long people wait here at most' : 'How long people wait here'}
          value={step.for}
          onChange={(duration) => put({ for: duration }, 'for')}
        />
      )}
      {step.for !== undefined && document.triggers.some((trigger) => 'event' in trigger && trigger.event === 'order.placed') && (
        <AgainButton onUse={(days) => put({ for: `P${days}D` }, 'for')} />
      )}
      {step.for !== undefined && !until && (
        <Tick
          label="Each for a part of it, by lot: people go on spread over it"
          isOn={step.spread === true}
          onChange={(isOn) => set((isOn ? { ...step, spread: true } : without(step, 'spread')) as WaitStep, 'spread')}
        />
      )}
      {step.best && (
        <Field label="For those of whom that is not known" hint="Known of whoever has opened at least three messages in the last 90 days.">
          <input
            type="time"
            value={step.best.otherwise}
            onChange={(event) => event.target.value && put({ best: { otherwise: event.target.value.slice(0, 5) } }, 'best')}
            className={inputClass}
          />
        </Field>
      )}
      {parcel && <ParcelPart parcel={parcel} put={(next, field) => put({ parcel: next }, field)} />}
      {date && <DatePart date={date} put={(next, field) => put({ date: next }, field)} />}
      {length !== LENGTHS[2] && (
        <Tick
          label="Then until the next of some hours"
          isOn={hours !== undefined}
          onChange={(isOn) => set((isOn ? { ...step, hours: OFFICE } : without(step, 'hours')) as WaitStep, 'hours')}
        />
      )}
      {hours && (
        <p className="text-sm">
          The next time it is <Hours hours={hours} isAlways onChange={(next) => next && put({ hours: next }, 'hours')} />
        </p>
      )}
      <Field label="Ended before that by">
        <select
          value={!until ? UNTILS[0] : 'event' in until ? UNTILS[1] : UNTILS[2]}
          onChange={(event) => {
            const to = event.target.value as (typeof UNTILS)[number];
            if (to === 'nothing') return set(without(without(step, 'until'), 'arms') as WaitStep, 'until');
            const { spread: _, ...whole } = step;
            set(
              {
                ...whole,
                until:
                  to === 'an event'
                    ? { event: 'message.clicked' }
                    : { rule: { all: [{ test: 'did', event: 'order.placed', since: 'entry' }] } },
              },
              'until',
            );
          }}
          className={inputClass}
        >
          {UNTILS.map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
      </Field>
      {until && 'event' in until && (
        <EventField
          label="What is waited for"
          value={until.event}
          hint={`Goes on as soon as the person has ${sayDone(until.event)}. A branch further on can ask whether it came, and with what.`}
          onChange={(event) => put({ until: { ...until, event } }, 'until.event')}
        />
      )}
      {until && 'rule' in until && (
        <RuleEditor
          rule={until.rule}
          startedBy={document.triggers[0]!.event}
          onChange={(rule, tag) => put({ until: { rule } }, tag && `until.${tag}`)}
        />
      )}
      {until && (
        <Tick
          label="Two ways on: one if it came, one if time ran out"
          isOn={step.arms !== undefined}
          onChange={(isOn) => set((isOn ? { ...step, arms: arms() } : without(step, 'arms')) as WaitStep, 'arms')}
        />
      )}
      {step.arms?.map((arm) => (
        <fieldset key={arm.id} className="grid gap-2 rounded-md border border-line p-3">
          <ArmLabel document={document} step={step} arm={arm} edit={edit} />
        </fieldset>
      ))}
      <p className="text-xs text-soft">
        Hours and minutes are exact; days and weeks keep the time of day in {zone}. An order or anything else that ends the run ends the
        wait too.
      </p>
    </Part>
  );
}

/** For a flow that follows an order: how long people take until they buy the same again, and a wait by it. */
function AgainButton({ onUse }: { onUse: (days: number) => void }) {
  const [isOpen, setOpen] = useState(false);
  return (
    <div>
      <Button kind="quiet" onClick={() => setOpen(true)}>
        When do they buy it again?
      </Button>
      {isOpen && <AgainDialog onUse={onUse} onClose={() => setOpen(false)} />}
    </div>
  );
}

/** A day of the person, or of what started the run, and how far from it. */
function DatePart({ date, put }: { date: WaitDate; put: (date: WaitDate, field: string) => void }) {
  return (
    <fieldset className="grid gap-2 rounded-md border border-line p-3">
      <legend className="px-1 text-xs font-semibold text-soft">The day</legend>
      <Field label="Whose">
        <select
          value={date.of}
          onChange={(event) => put({ ...date, of: event.target.value as WaitDate['of'] }, 'date.of')}
          className={inputClass}
        >
          <option value="person">of the person</option>
          <option value="start">of what started it</option>
        </select>
      </Field>
      <Field label="Attribute or property" hint="A day such as 2026-12-24, or a moment that begins with one.">
        <input
          value={date.name}
          maxLength={120}
          onChange={(event) => put({ ...date, name: event.target.value }, 'date.name')}
          className={`${inputClass} font-mono`}
        />
      </Field>
      <div className="grid grid-cols-2 gap-2">
        <Field label="Days after it" hint="Below 0: before">
          <NumberField min={-366} max={366} step={1} value={date.days} onChange={(days) => put({ ...date, days }, 'date.days')} />
        </Field>
        <Field label="At">
          <input
            type="time"
            value={date.at}
            onChange={(event) => event.target.value && put({ ...date, at: event.target.value }, 'date.at')}
            className={inputClass}
          />
        </Field>
      </div>
    </fieldset>
  );
}
