'use client';

import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import type { DirectoryView, FlowListView, TypeView } from '@/core/api';
import { changeArm, changeStep, sayStep, type Arm, type FlowDocument, type IdeaStep, type Step, type WaitStep } from '@/core/flows';
import type { Rule } from '@/core/rules';
import { api, Field, inputClass, NumberField, plural, Link } from '../kit';

export type Edit = (to: FlowDocument, tag: string) => void;

export interface Props<S extends Step> {
  readonly document: FlowDocument;
  readonly step: S;
  readonly edit: Edit;
}

/** A part of the inspector. */
export function Part({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="grid min-w-0 grid-cols-[minmax(0,1fr)] gap-3" aria-label={title}>
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

/** How many people a rule holds for at this moment, with a way to see them. */
export function Audience({ rule }: { rule: Rule | null }) {
  const query = rule ? `rule=${encodeURIComponent(JSON.stringify(rule))}` : '';
  const { data, error } = useQuery({
    queryKey: ['audience', query],
    queryFn: () => api<DirectoryView>(`/people?limit=0&${query}`),
    retry: false,
    staleTime: 30_000,
  });
  if (error) return <span className="block text-xs text-soft">{error.message}</span>;
  return (
    <Link href={`/people?${query}`} className="block text-xs text-accent underline">
      {data ? `${plural(data.total ?? 0, 'person', 'people')} at this moment` : 'counting…'}
    </Link>
  );
}

/** An attribute of the person, by its name. */
export function AttributeField({ value, hint, onChange }: { value: string; hint?: ReactNode; onChange: (name: string) => void }) {
  return (
    <Field label="Attribute" hint={hint}>
      <input
        value={value}
        maxLength={120}
        onChange={(event) => onChange(event.target.value.trim())}
        className={`${inputClass} font-mono`}
      />
    </Field>
  );
}

/** A property of what came of an earlier step. */
export function AnswerFields({
  of,
  earlier,
  onChange,
}: {
  of: { readonly answer: string; readonly property: string };
  earlier: readonly Step[];
  onChange: (of: { answer: string; property: string }) => void;
}) {
  return (
    <div className="grid grid-cols-2 gap-2">
      <Field label="Step">
        <select value={of.answer} onChange={(event) => onChange({ ...of, answer: event.target.value })} className={inputClass}>
          {earlier.map((one) => (
            <option key={one.id} value={one.id}>
              {sayStep(one)}
            </option>
          ))}
        </select>
      </Field>
      <Field label="Property of what came">
        <input
          value={of.property}
          onChange={(event) => onChange({ ...of, property: event.target.value })}
          className={`${inputClass} font-mono`}
        />
      </Field>
    </div>
  );
}
