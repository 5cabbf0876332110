'use client';

import { useQuery } from '@tanstack/react-query';
import { Plus, X } from 'lucide-react';
import { answersIn, changeStep, MOST_OTHERS, type Step, type Update, type UpdateStep } from '@/core/flows';
import { api, Button, Field, inputClass, NumberField } from '../kit';
import { AnswerFields, NameField, Part, Tick, ValueField, type Props } from './fields';

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
  const putOthers = (others: UpdateStep['others']) =>
    edit(
      changeStep(document, step.id, (one) => {
        const { others: _, ...rest } = one as UpdateStep;
        return others ? { ...rest, others } : rest;
      }),
      `${step.id}.others`,
    );
  const putOne = (index: number, update: Update) =>
    put(
      step.changes.map((one, n) => (n === index ? update : one)),
      `changes.${index}`,
    );
  const waits = answersIn(document);
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
                <AnswerFields of={update} earlier={waits} onChange={(of) => putOne(index, { ...update, ...of })} />
              ) : (
                <ValueField value={update.value} onChange={(value) => putOne(index, { ...update, value })} />
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
      <Tick
        label="The same for others of their household or account"
        isOn={step.others !== undefined}
        onChange={(isOn) => putOthers(isOn ? { by: 'household', most: 20 } : undefined)}
      />
      {step.others && (
        <div className="grid grid-cols-[1fr_96px] items-end gap-2">
          <Field label="Who has the same" hint="An attribute, such as household or accountId.">
            <input
              value={step.others.by}
              maxLength={120}
              onChange={(event) => putOthers({ ...step.others!, by: event.target.value.trim() })}
              className={`${inputClass} font-mono`}
            />
          </Field>
          <Field label="At most, people">
            <NumberField
              min={1}
              max={MOST_OTHERS}
              step={1}
              value={step.others.most}
              onChange={(most) => putOthers({ ...step.others!, most })}
            />
          </Field>
        </div>
      )}
      <p className="text-xs text-soft">What follows in this flow sees it at once; the history of the person says that this flow did it.</p>
    </Part>
  );
}
