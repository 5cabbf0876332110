'use client';

import { Plus, X } from 'lucide-react';
import { toast } from 'sonner';
import type { FlowReport } from '@/core/api';
import {
  changeArm,
  changeStep,
  keepArm,
  sayShares,
  type HandStep,
  type IdeaStep,
  type RecordStep,
  type SendStep,
  type Step,
  type TestStep,
} from '@/core/flows';
import { Button, Field, inputClass, NumberField, plural, sayShare } from '../kit';
import { Hours, without } from '../rules';
import { ArmLabel, EventField, FlowField, NameField, OFFICE, Part, Tick, ValueField, type Props } from './fields';

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

/** The ways of a test, their shares and what came of each; one of them can be kept for everybody. */
export function TestPart({
  document,
  step,
  edit,
  came,
  onSelect,
}: Props<TestStep> & {
  readonly came: NonNullable<FlowReport['steps'][number]['arms']>;
  readonly onSelect: (id: string) => void;
}) {
  const keep = (armId: string) => {
    const next = keepArm(document, step.id, armId);
    edit(next, `${step.id}.keep`);
    onSelect(step.arms.find((arm) => arm.id === armId)?.steps[0]?.id ?? 'trigger');
    toast.success(`Only “${step.arms.find((arm) => arm.id === armId)?.name}” is left. Publish it to end the test.`, {
      action: { label: 'Undo', onClick: () => edit(document, '') },
    });
  };
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
          <Came document={document} came={came.find((one) => one.id === arm.id)} />
          <div>
            <Button onClick={() => keep(arm.id)} aria-label={`Keep only ${arm.name}`}>
              Keep only this
            </Button>
          </div>
        </fieldset>
      ))}
    </Part>
  );
}

/** What came of those who took an arm, in the days that the figures are of. */
function Came({
  document,
  came,
}: {
  document: Props<TestStep>['document'];
  came: NonNullable<FlowReport['steps'][number]['arms']>[number] | undefined;
}) {
  if (!came?.people) return null;
  return (
    <p className="text-xs text-soft tabular">
      {plural(came.people, 'person', 'people')} in the last 30 days
      {document.goal && `; ${plural(came.goal, 'reached', 'reached')} the goal, ${sayShare(came.goal, came.people)}`}
    </p>
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
