'use client';

import { Plus, X } from 'lucide-react';
import { changeStep, type HandStep, type IdeaStep, type RecordStep, type SendStep, type Step } from '@/core/flows';
import { Button, Field, inputClass } from '../kit';
import { Hours, without } from '../rules';
import { EventField, FlowField, NameField, OFFICE, Part, Tick, ValueField, type Props } from './fields';

/** What a message asks for itself beside the limits of the store. */
export function LimitsPart({ document, step, edit }: Props<SendStep>) {
  const own = step.limits ?? {};
  const put = (next: NonNullable<SendStep['limits']>) =>
    edit(
      changeStep(document, step.id, () => {
        const { limits: _, ...plain } = step;
        return Object.keys(next).length ? { ...plain, limits: next } : plain;
      }),
      `${step.id}.limits`,
    );
  if (step.message.kind === 'service') return <p className="text-xs text-soft">A service message passes every limit.</p>;
  return (
    <details className="rounded-md border border-line p-3">
      <summary className="cursor-pointer text-xs font-semibold text-soft">Limits and hours</summary>
      <div className="mt-2 grid gap-2">
        <Tick
          label="Keeps the distance to other messages"
          isOn={own.gap !== false}
          onChange={(isOn) => put(isOn ? without(own, 'gap') : { ...own, gap: false })}
        />
        <Tick
          label="Counts against what anybody gets at most"
          isOn={own.caps !== false}
          onChange={(isOn) => put(isOn ? without(own, 'caps') : { ...own, caps: false })}
        />
        <Field label="Goes out">
          <select
            value={own.hours === undefined ? 'store' : own.hours === 'any' ? 'any' : 'own'}
            onChange={(event) =>
              put(event.target.value === 'store' ? without(own, 'hours') : { ...own, hours: event.target.value === 'any' ? 'any' : OFFICE })
            }
            className={inputClass}
          >
            <option value="store">at the hours of the store</option>
            <option value="any">at any time</option>
            <option value="own">at hours of its own</option>
          </select>
        </Field>
        {own.hours && own.hours !== 'any' && (
          <p className="text-sm">
            <Hours hours={own.hours} isAlways onChange={(hours) => hours && put({ ...own, hours })} />
          </p>
        )}
      </div>
    </details>
  );
}

const FORMS = ['text', 'number', 'yes or no', 'from the start'] as const;
type Form = (typeof FORMS)[number];
type Told = RecordStep['properties'][number];

const formOf = (told: Told): Form =>
  'from' in told ? 'from the start' : typeof told.value === 'number' ? 'number' : typeof told.value === 'boolean' ? 'yes or no' : 'text';
const PLAIN: { readonly [form in Form]: (name: string) => Told } = {
  text: (name) => ({ name, value: '' }),
  number: (name) => ({ name, value: 0 }),
  'yes or no': (name) => ({ name, value: true }),
  'from the start': (name) => ({ name, from: name }),
};

/** What is recorded of a person, and what it tells. */
export function RecordPart({ document, step, edit }: Props<RecordStep>) {
  const put = (change: Partial<RecordStep>, field: string) =>
    edit(
      changeStep(document, step.id, (one) => ({ ...one, ...change }) as Step),
      `${step.id}.${field}`,
    );
  const putTold = (index: number, told: Told) =>
    put({ properties: step.properties.map((one, n) => (n === index ? told : one)) }, `properties.${index}`);
  return (
    <Part title="Record an event">
      <NameField document={document} step={step} edit={edit} />
      <EventField
        label="Type of event"
        value={step.event}
        hint="Other flows, rules and reports see it like any other event."
        onChange={(event) => put({ event }, 'event')}
      />
      {step.properties.map((told, index) => {
        const form = formOf(told);
        return (
          <fieldset key={index} className="grid gap-2 rounded-md border border-line p-3">
            <legend className="px-1 text-xs font-semibold text-soft">It tells</legend>
            <div className="grid grid-cols-[1fr_7.5rem_auto] items-end gap-2">
              <Field label="Property">
                <input
                  value={told.name}
                  maxLength={60}
                  onChange={(event) => putTold(index, { ...told, name: event.target.value })}
                  className={`${inputClass} font-mono`}
                />
              </Field>
              <Field label="Kind">
                <select
                  value={form}
                  onChange={(event) => putTold(index, PLAIN[event.target.value as Form](told.name))}
                  className={inputClass}
                >
                  {FORMS.map((one) => (
                    <option key={one}>{one}</option>
                  ))}
                </select>
              </Field>
              <Button
                kind="quiet"
                aria-label={`Remove ${told.name || 'this property'}`}
                onClick={() => put({ properties: step.properties.filter((_, n) => n !== index) }, 'properties')}
                className="px-2"
              >
                <X size={16} aria-hidden="true" />
              </Button>
            </div>
            {'from' in told ? (
              <Field label="Property of what started the run">
                <input
                  value={told.from}
                  maxLength={120}
                  onChange={(event) => putTold(index, { ...told, from: event.target.value })}
                  className={`${inputClass} font-mono`}
                />
              </Field>
            ) : (
              <ValueField value={told.value} onChange={(value) => putTold(index, { ...told, value })} />
            )}
          </fieldset>
        );
      })}
      <Button
        onClick={() =>
          put({ properties: [...step.properties, { name: `property${step.properties.length + 1}`, value: '' }] }, 'properties')
        }
        disabled={step.properties.length >= 20}
        className="justify-self-start"
      >
        <Plus size={16} aria-hidden="true" /> Add a property
      </Button>
    </Part>
  );
}

/** To which flow somebody is handed over. */
export function HandPart({ document, step, edit }: Props<HandStep>) {
  const put = (change: Partial<HandStep>, field: string) =>
    edit(
      changeStep(document, step.id, (one) => ({ ...one, ...change }) as Step),
      `${step.id}.${field}`,
    );
  return (
    <Part title="Hand over">
      <NameField document={document} step={step} edit={edit} />
      <FlowField
        label="To the flow"
        hint="It starts with all that started this one; its entry rule still holds."
        value={step.flow}
        onChange={(flow) => put({ flow }, 'flow')}
      />
      <Tick label="This flow is over for them then" isOn={step.leaves} onChange={(leaves) => put({ leaves }, 'leaves')} />
    </Part>
  );
}

/** A sentence that stands for a step to come. */
export function IdeaPart({ document, step, edit }: Props<IdeaStep>) {
  return (
    <Part title="Idea">
      <Field
        label="What should happen here"
        hint="Only a sentence yet: it does nothing, and the flow is not published before a step stands in its place."
      >
        <textarea
          value={step.text}
          rows={4}
          maxLength={500}
          onChange={(event) =>
            edit(
              changeStep(document, step.id, (one) => ({ ...one, text: event.target.value }) as Step),
              `${step.id}.text`,
            )
          }
          className={`${inputClass} h-auto py-2`}
        />
      </Field>
    </Part>
  );
}
