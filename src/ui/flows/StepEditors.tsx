'use client';

import { useQuery } from '@tanstack/react-query';
import { Plus, X } from 'lucide-react';
import type { ReactNode } from 'react';
import type { TypeView } from '@/core/api';
import {
  changeArm,
  changeStep,
  sayShares,
  type Arm,
  type FlowDocument,
  type RecordStep,
  type Step,
  type TestStep,
  type WaitStep,
} from '@/core/flows';
import { sayDone } from '@/core/rules';
import { api, Button, Field, inputClass, NumberField } from '../kit';
import { DurationField } from './WaitEditor';

export type Edit = (to: FlowDocument, tag: string) => void;

interface Props<S extends Step> {
  readonly document: FlowDocument;
  readonly step: S;
  readonly edit: Edit;
}

/** A part of the inspector. */
export function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="grid gap-3" aria-label={title}>
      <h2 className="font-semibold">{title}</h2>
      {children}
    </section>
  );
}

/** The name of a step. */
export function NameField<S extends Exclude<Step, WaitStep | { kind: 'end' }>>({ document, step, edit }: Props<S>) {
  return (
    <Field label="Name">
      <input
        value={step.name}
        maxLength={80}
        onChange={(event) =>
          edit(
            changeStep(document, step.id, (one) => ({ ...one, name: event.target.value }) as Step),
            `${step.id}.name`,
          )
        }
        className={inputClass}
      />
    </Field>
  );
}

/** What an arm is called. */
export function ArmLabel<S extends Step>({ document, step, arm, edit }: Props<S> & { readonly arm: Arm }) {
  return (
    <>
      <legend className="px-1 text-xs font-semibold text-soft">Arm “{arm.name}”</legend>
      <Field label="Label">
        <input
          value={arm.name}
          maxLength={80}
          onChange={(event) =>
            edit(
              changeArm(document, step.id, arm.id, (one) => ({ ...one, name: event.target.value })),
              `${arm.id}.name`,
            )
          }
          className={inputClass}
        />
      </Field>
    </>
  );
}

/** A type of event, chosen among those that have occurred or typed. */
function EventField({
  label,
  value,
  onChange,
  hint,
}: {
  label: string;
  value: string;
  onChange: (type: string) => void;
  hint?: ReactNode;
}) {
  const types = useQuery({ queryKey: ['catalogue'], queryFn: () => api<{ types: TypeView[] }>('/catalogue'), staleTime: 60_000 });
  const isKnown = !types.data || types.data.types.some(({ type }) => type === value);
  return (
    <Field
      label={label}
      hint={isKnown ? hint : <span className="text-caution">No event of this type has arrived yet.</span>}
      problem={value ? null : 'Which event?'}
    >
      <input
        list="event-types"
        value={value}
        onChange={(event) => onChange(event.target.value.trim())}
        className={`${inputClass} font-mono`}
      />
      <datalist id="event-types">
        {types.data?.types.map(({ type }) => (
          <option key={type} value={type} />
        ))}
      </datalist>
    </Field>
  );
}

/** How long people wait, and what ends it before. */
export function WaitPart({ document, step, edit, zone }: Props<WaitStep> & { zone: string }) {
  const put = (change: Partial<WaitStep>, field: string) =>
    edit(
      changeStep(document, step.id, (one) => ({ ...one, ...change }) as Step),
      `${step.id}.${field}`,
    );
  const { until } = step;
  return (
    <Part title="Wait">
      <DurationField
        label={until ? 'How long people wait here at most' : 'How long people wait here'}
        value={step.for}
        onChange={(duration) => put({ for: duration }, 'for')}
      />
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={until !== undefined}
          onChange={(event) => put({ until: event.target.checked ? { event: 'message.clicked' } : undefined }, 'until')}
        />
        Go on as soon as something happens
      </label>
      {until && (
        <EventField
          label="What is waited for"
          value={until.event}
          hint={`Goes on as soon as the person has ${sayDone(until.event)}. A branch further on can ask whether it came, and with what.`}
          onChange={(event) => put({ until: { ...until, event } }, 'until.event')}
        />
      )}
      <p className="text-xs text-soft">
        Hours and minutes are exact; days and weeks keep the time of day in {zone}. An order or anything else that ends the run ends the
        wait too.
      </p>
    </Part>
  );
}

/** The ways of a test and their shares. */
export function TestPart({ document, step, edit }: Props<TestStep>) {
  return (
    <Part title="Test">
      <NameField document={document} step={step} edit={edit} />
      <Field label="Who draws">
        <select
          value={step.per}
          onChange={(event) =>
            edit(
              changeStep(document, step.id, (one) => ({ ...one, per: event.target.value }) as Step),
              `${step.id}.per`,
            )
          }
          className={inputClass}
        >
          <option value="person">each person, once for good</option>
          <option value="key">each cart or order anew</option>
        </select>
      </Field>
      <p className="text-xs text-soft">Lots decide who takes which arm, in proportion to the shares.</p>
      {step.arms.map((arm) => (
        <fieldset key={arm.id} className="grid gap-2 rounded-md border border-line p-3">
          <ArmLabel document={document} step={step} arm={arm} edit={edit} />
          <Field label="Share" hint={`${sayShares(step.arms, arm)} of those who come by`}>
            <NumberField
              min={0}
              max={1000}
              step={1}
              aria-label={`Share of ${arm.name}`}
              value={arm.share ?? 0}
              onChange={(share) =>
                edit(
                  changeArm(document, step.id, arm.id, (one) => ({ ...one, share })),
                  `${arm.id}.share`,
                )
              }
            />
          </Field>
        </fieldset>
      ))}
    </Part>
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
              <Field label="Value">
                {typeof told.value === 'number' ? (
                  <NumberField step="any" value={told.value} onChange={(value) => putTold(index, { ...told, value })} />
                ) : typeof told.value === 'boolean' ? (
                  <select
                    value={told.value ? 'yes' : 'no'}
                    onChange={(event) => putTold(index, { ...told, value: event.target.value === 'yes' })}
                    className={inputClass}
                  >
                    <option>yes</option>
                    <option>no</option>
                  </select>
                ) : (
                  <input
                    value={told.value}
                    maxLength={1000}
                    onChange={(event) => putTold(index, { ...told, value: event.target.value })}
                    className={inputClass}
                  />
                )}
              </Field>
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
