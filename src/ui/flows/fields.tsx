'use client';

import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import type { FlowListView, TypeView } from '@/core/api';
import { changeArm, changeStep, type Arm, type FlowDocument, type IdeaStep, type Step, type WaitStep } from '@/core/flows';
import { api, Field, inputClass, NumberField } from '../kit';

export type Edit = (to: FlowDocument, tag: string) => void;

export interface Props<S extends Step> {
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
export function NameField<S extends Exclude<Step, WaitStep | IdeaStep | { kind: 'end' }>>({ document, step, edit }: Props<S>) {
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
export function EventField({
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

/** Hours to begin with. */
export const OFFICE = { weekdays: [1, 2, 3, 4, 5], from: '09:00', to: '17:00' };

/** A choice that is on or off. */
export function Tick({ label, isOn, onChange }: { label: string; isOn: boolean; onChange: (isOn: boolean) => void }) {
  return (
    <label className="flex items-center gap-2">
      <input type="checkbox" checked={isOn} onChange={(event) => onChange(event.target.checked)} />
      {label}
    </label>
  );
}

/** One of the flows that are on file, or none where that is possible. */
export function FlowField({
  label,
  hint,
  value,
  none,
  onChange,
}: {
  label: string;
  hint?: string;
  value: string;
  /** what it says where none is chosen; where it is left out, one has to be */
  none?: string;
  onChange: (key: string) => void;
}) {
  const flows = useQuery({ queryKey: ['flows'], queryFn: () => api<FlowListView>('/flows'), staleTime: 60_000 });
  const isThere = !value || !flows.data || flows.data.flows.some(({ key }) => key === value);
  return (
    <Field label={label} problem={flows.error?.message ?? (isThere ? null : 'This flow is not on file.')} hint={hint}>
      <select value={value} onChange={(event) => onChange(event.target.value)} className={inputClass}>
        {none && <option value="">{none}</option>}
        {!isThere && <option value={value}>{value}</option>}
        {flows.data?.flows.map(({ key, name }) => (
          <option key={key} value={key}>
            {name}
          </option>
        ))}
      </select>
    </Field>
  );
}

/** A value that stands in a step: a number, yes or no, or a text. */
export function ValueField({
  value,
  onChange,
}: {
  value: string | number | boolean;
  onChange: (value: string | number | boolean) => void;
}) {
  return (
    <Field label="Value">
      {typeof value === 'number' ? (
        <NumberField step="any" value={value} onChange={onChange} />
      ) : typeof value === 'boolean' ? (
        <select value={value ? 'yes' : 'no'} onChange={(event) => onChange(event.target.value === 'yes')} className={inputClass}>
          <option>yes</option>
          <option>no</option>
        </select>
      ) : (
        <input value={value} maxLength={1000} onChange={(event) => onChange(event.target.value)} className={inputClass} />
      )}
    </Field>
  );
}
