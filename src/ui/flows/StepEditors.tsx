'use client';

import { useQuery } from '@tanstack/react-query';
import { Plus, X } from 'lucide-react';
import type { ReactNode } from 'react';
import type { TypeView } from '@/core/api';
import {
  changeArm,
  changeStep,
  armsOf,
  duplicateStep,
  freeId,
  freshStep,
  insertSteps,
  moveStep,
  placeOf,
  planOf,
  removeStep,
  sayShares,
  sayStep,
  STEP_KINDS,
  type Place,
  type Arm,
  type FlowDocument,
  type RecordStep,
  type SendStep,
  type Step,
  type TestStep,
  type HandStep,
  type IdeaStep,
  type Update,
  type UpdateStep,
  type WaitDate,
  type WaitStep,
} from '@/core/flows';
import { sayDone } from '@/core/rules';
import { api, Button, DurationField, Field, inputClass, Menu, NumberField } from '../kit';
import { Hours, RuleEditor, without } from '../rules';

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

const LENGTHS = ['a while', 'a day on file', 'hours of the week'] as const;
const UNTILS = ['nothing', 'an event', 'a condition'] as const;

/** How long people wait, and what ends it before. */
export function WaitPart({ document, step, edit, zone }: Props<WaitStep> & { zone: string }) {
  const set = (next: WaitStep, field: string) =>
    edit(
      changeStep(document, step.id, () => next),
      `${step.id}.${field}`,
    );
  const put = (change: Partial<WaitStep>, field: string) => set({ ...step, ...change }, field);
  const { until, date, hours } = step;
  const length = date ? LENGTHS[1] : step.for !== undefined ? LENGTHS[0] : LENGTHS[2];
  const plain = () => without(without(without(step, 'for'), 'date'), 'hours');
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
            else if (to === 'a day on file')
              set(
                { ...plain(), date: { of: 'person', name: 'birthday', days: 0, at: '09:00' }, ...(hours && { hours }) } as WaitStep,
                'length',
              );
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
            put(
              {
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

const OFFICE = { weekdays: [1, 2, 3, 4, 5], from: '09:00', to: '17:00' };

/** A choice that is on or off. */
export function Tick({ label, isOn, onChange }: { label: string; isOn: boolean; onChange: (isOn: boolean) => void }) {
  return (
    <label className="flex items-center gap-2">
      <input type="checkbox" checked={isOn} onChange={(event) => onChange(event.target.checked)} />
      {label}
    </label>
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

const ACTS: readonly (readonly [Update['do'], string])[] = [
  ['set', 'set an attribute'],
  ['add', 'add to a number'],
  ['append', 'add to a list of values'],
  ['clear', 'clear an attribute'],
  ['tag', 'put a tag on'],
  ['untag', 'take a tag off'],
  ['list', 'put on a list'],
  ['unlist', 'take off a list'],
];
const NEW_UPDATE: { readonly [act in Update['do']]: (name: string) => Update } = {
  set: (name) => ({ do: 'set', name, value: '' }),
  add: (name) => ({ do: 'add', name, by: 1 }),
  append: (name) => ({ do: 'append', name, value: '' }),
  clear: (name) => ({ do: 'clear', name }),
  tag: () => ({ do: 'tag', tag: 'reminded' }),
  untag: () => ({ do: 'untag', tag: 'reminded' }),
  list: () => ({ do: 'list', list: '' }),
  unlist: () => ({ do: 'unlist', list: '' }),
};
const WHENCE = ['text', 'number', 'yes or no', 'from the start', 'from an answer'] as const;
type Whence = (typeof WHENCE)[number];
type Valued = Extract<Update, { do: 'set' | 'append' }>;

const whenceOf = (update: Valued): Whence =>
  'from' in update
    ? 'from the start'
    : 'answer' in update
      ? 'from an answer'
      : typeof update.value === 'number'
        ? 'number'
        : typeof update.value === 'boolean'
          ? 'yes or no'
          : 'text';

/** What is changed of what is on file about the person. */
export function UpdatePart({ document, step, edit }: Props<UpdateStep>) {
  const lists = useQuery({
    queryKey: ['lists'],
    queryFn: () => api<{ lists: { key: string; name: string }[] }>('/lists'),
    staleTime: 60_000,
  });
  const put = (changes: Update[], field: string) =>
    edit(
      changeStep(document, step.id, (one) => ({ ...one, changes }) as Step),
      `${step.id}.${field}`,
    );
  const putOne = (index: number, update: Update) =>
    put(
      step.changes.map((one, n) => (n === index ? update : one)),
      `changes.${index}`,
    );
  const waits = [...planOf(document).steps.values()].filter((one) => one.kind === 'wait' && one.until && 'event' in one.until);
  return (
    <Part title="Update the person">
      <NameField document={document} step={step} edit={edit} />
      {step.changes.map((update, index) => (
        <fieldset key={index} className="grid gap-2 rounded-md border border-line p-3">
          <legend className="px-1 text-xs font-semibold text-soft">Change {index + 1}</legend>
          <div className="grid grid-cols-[1fr_auto] items-end gap-2">
            <Field label="What is done">
              <select
                value={update.do}
                onChange={(event) =>
                  putOne(index, NEW_UPDATE[event.target.value as Update['do']]('name' in update ? update.name : 'points'))
                }
                className={inputClass}
              >
                {ACTS.map(([act, words]) => (
                  <option key={act} value={act}>
                    {words}
                  </option>
                ))}
              </select>
            </Field>
            <Button
              kind="quiet"
              aria-label={`Remove change ${index + 1}`}
              disabled={step.changes.length === 1}
              onClick={() =>
                put(
                  step.changes.filter((_, n) => n !== index),
                  'changes',
                )
              }
              className="px-2"
            >
              <X size={16} aria-hidden="true" />
            </Button>
          </div>
          {'tag' in update && (
            <Field label="Tag">
              <input
                value={update.tag}
                maxLength={60}
                onChange={(event) => putOne(index, { ...update, tag: event.target.value })}
                className={inputClass}
              />
            </Field>
          )}
          {'list' in update && (
            <Field label="List" problem={update.list ? null : 'Which list?'}>
              <select
                value={update.list}
                onChange={(event) => putOne(index, { ...update, list: event.target.value })}
                className={inputClass}
              >
                <option value="">Choose a list</option>
                {lists.data?.lists.map(({ key, name }) => (
                  <option key={key} value={key}>
                    {name}
                  </option>
                ))}
              </select>
            </Field>
          )}
          {'name' in update && (
            <Field label="Attribute">
              <input
                value={update.name}
                maxLength={60}
                onChange={(event) => putOne(index, { ...update, name: event.target.value })}
                className={`${inputClass} font-mono`}
              />
            </Field>
          )}
          {update.do === 'add' && (
            <Field label="By how much" hint="Below 0 takes away">
              <NumberField step="any" value={update.by} onChange={(by) => putOne(index, { ...update, by })} />
            </Field>
          )}
          {(update.do === 'set' || update.do === 'append') && (
            <>
              <Field label="Kind of value">
                <select
                  value={whenceOf(update)}
                  onChange={(event) => {
                    const base = { do: update.do, name: update.name } as const;
                    const to = event.target.value as Whence;
                    putOne(
                      index,
                      to === 'from the start'
                        ? { ...base, from: 'value' }
                        : to === 'from an answer'
                          ? { ...base, answer: waits[0]?.id ?? 'wait', property: 'value' }
                          : { ...base, value: to === 'number' ? 0 : to === 'yes or no' ? true : '' },
                    );
                  }}
                  className={inputClass}
                >
                  {WHENCE.map((one) => (
                    <option key={one} disabled={one === 'from an answer' && !waits.length}>
                      {one}
                    </option>
                  ))}
                </select>
              </Field>
              {'from' in update ? (
                <Field label="Property of what started the run">
                  <input
                    value={update.from}
                    onChange={(event) => putOne(index, { ...update, from: event.target.value })}
                    className={`${inputClass} font-mono`}
                  />
                </Field>
              ) : 'answer' in update ? (
                <div className="grid grid-cols-2 gap-2">
                  <Field label="Wait">
                    <select
                      value={update.answer}
                      onChange={(event) => putOne(index, { ...update, answer: event.target.value })}
                      className={inputClass}
                    >
                      {waits.map((one) => (
                        <option key={one.id} value={one.id}>
                          {sayStep(one)}
                        </option>
                      ))}
                    </select>
                  </Field>
                  <Field label="Property of what came">
                    <input
                      value={update.property}
                      onChange={(event) => putOne(index, { ...update, property: event.target.value })}
                      className={`${inputClass} font-mono`}
                    />
                  </Field>
                </div>
              ) : (
                <Field label="Value">
                  {typeof update.value === 'number' ? (
                    <NumberField step="any" value={update.value} onChange={(value) => putOne(index, { ...update, value })} />
                  ) : typeof update.value === 'boolean' ? (
                    <select
                      value={update.value ? 'yes' : 'no'}
                      onChange={(event) => putOne(index, { ...update, value: event.target.value === 'yes' })}
                      className={inputClass}
                    >
                      <option>yes</option>
                      <option>no</option>
                    </select>
                  ) : (
                    <input
                      value={update.value}
                      maxLength={1000}
                      onChange={(event) => putOne(index, { ...update, value: event.target.value })}
                      className={inputClass}
                    />
                  )}
                </Field>
              )}
            </>
          )}
        </fieldset>
      ))}
      <Button
        onClick={() => put([...step.changes, NEW_UPDATE.tag('')], 'changes')}
        disabled={step.changes.length >= 20}
        className="justify-self-start"
      >
        <Plus size={16} aria-hidden="true" /> Add a change
      </Button>
      <p className="text-xs text-soft">What follows in this flow sees it at once; the history of the person says that this flow did it.</p>
    </Part>
  );
}

/** To which flow somebody is handed over. */
export function HandPart({ document, step, edit }: Props<HandStep>) {
  const flows = useQuery({
    queryKey: ['flows'],
    queryFn: () => api<{ flows: { key: string; name: string }[] }>('/flows'),
    staleTime: 60_000,
  });
  const put = (change: Partial<HandStep>, field: string) =>
    edit(
      changeStep(document, step.id, (one) => ({ ...one, ...change }) as Step),
      `${step.id}.${field}`,
    );
  const isThere = !flows.data || flows.data.flows.some(({ key }) => key === step.flow);
  return (
    <Part title="Hand over">
      <NameField document={document} step={step} edit={edit} />
      <Field
        label="To the flow"
        problem={isThere ? null : 'This flow is not on file.'}
        hint="It starts with all that started this one; its entry rule still holds."
      >
        <select value={step.flow} onChange={(event) => put({ flow: event.target.value }, 'flow')} className={inputClass}>
          {!isThere && <option value={step.flow}>{step.flow}</option>}
          {flows.data?.flows.map(({ key, name }) => (
            <option key={key} value={key}>
              {name}
            </option>
          ))}
        </select>
      </Field>
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

const OFFERS: { readonly [kind in (typeof STEP_KINDS)[number]]: string } = {
  wait: 'Wait',
  send: 'Message',
  branch: 'Branch',
  test: 'Test by lot',
  update: 'Update the person',
  record: 'Record an event',
  hand: 'Hand over to a flow',
  idea: 'Idea, still a sentence',
  end: 'End',
};

/** What can be put in at a place. */
export function AddStep({
  document,
  place,
  label,
  edit,
  onAdded,
}: {
  document: FlowDocument;
  place: Place;
  label: string;
  edit: Edit;
  onAdded: (id: string) => void;
}) {
  const add = (kind: (typeof STEP_KINDS)[number]) => {
    const id = freeId(document, kind);
    edit(insertSteps(document, place, [freshStep(kind, id)]), `add.${id}`);
    onAdded(id);
  };
  return (
    <Menu align="start" groups={[STEP_KINDS.map((kind) => ({ name: OFFERS[kind], onSelect: () => add(kind) }))]}>
      <Button className="justify-self-start">
        <Plus size={16} aria-hidden="true" /> {label}
      </Button>
    </Menu>
  );
}

/** What can be done with a step as a whole. */
export function StepBar({ document, step, edit, onSelect }: Props<Step> & { onSelect: (id: string) => void }) {
  const place = placeOf(document, step.id);
  if (!place) return null;
  const move = (by: -1 | 2) => edit(moveStep(document, step.id, { ...place, index: Math.max(0, place.index + by) }), `${step.id}.move`);
  return (
    <div className="grid gap-2 border-t border-line pt-3">
      <div className="flex flex-wrap gap-2">
        <AddStep document={document} place={{ ...place, index: place.index + 1 }} label="Add after this" edit={edit} onAdded={onSelect} />
        {armsOf(step).map((arm) => (
          <AddStep
            key={arm.id}
            document={document}
            place={{ armId: arm.id, index: 0 }}
            label={`Add to “${arm.name}”`}
            edit={edit}
            onAdded={onSelect}
          />
        ))}
      </div>
      <div className="flex flex-wrap gap-2">
        <Button kind="quiet" onClick={() => move(-1)} disabled={place.index === 0}>
          Move up
        </Button>
        <Button kind="quiet" onClick={() => move(2)}>
          Move down
        </Button>
        <Button
          kind="quiet"
          onClick={() => {
            const { flow, id } = duplicateStep(document, step.id);
            edit(flow, `${step.id}.duplicate`);
            if (id) onSelect(id);
          }}
        >
          Duplicate
        </Button>
        <Button
          kind="quiet"
          onClick={() => {
            edit(removeStep(document, step.id), `${step.id}.remove`);
            onSelect('trigger');
          }}
        >
          Remove
        </Button>
      </div>
    </div>
  );
}
