'use client';

import { Plus, X } from 'lucide-react';
import { stepsOf, type CallStep, type FlowDocument, type TaskStep } from '@/core/flows';
import { sayDone } from '@/core/rules';
import { areaClass, Button, DurationField, Field, inputClass } from '../kit';
import { readObject, type Happens, type Written } from './happens';

/** Who is sent through, and what happens to them. */
export function PersonForm({ document, one, onChange }: { document: FlowDocument; one: Written; onChange: (one: Written) => void }) {
  const put = (index: number, change: Partial<Happens>) =>
    onChange({ ...one, events: one.events.map((event, n) => (n === index ? { ...event, ...change } : event)) });
  // what is asked outside can be answered by hand
  const asking = stepsOf(document).filter((step): step is CallStep | TaskStep => step.kind === 'call' || step.kind === 'task');
  return (
    <div className="grid gap-3">
      <Field label="Who">
        <select
          value={one.kind}
          onChange={(event) => onChange({ ...one, kind: event.target.value as Written['kind'] })}
          className={inputClass}
        >
          <option value="madeUp">somebody made up</option>
          <option value="onFile">somebody on file</option>
        </select>
      </Field>
      {one.kind === 'onFile' ? (
        <Field label="Their id" hint="External id, or ~ and their number; their history counts.">
          <input value={one.person} onChange={(event) => onChange({ ...one, person: event.target.value })} className={inputClass} />
        </Field>
      ) : (
        <>
          <Field label="What is on file" problem={readObject(one.attributes) ? null : 'This is no object of JSON.'}>
            <textarea
              value={one.attributes}
              rows={2}
              onChange={(event) => onChange({ ...one, attributes: event.target.value })}
              className={`${areaClass} font-mono`}
            />
          </Field>
          <Field label="Consent to email">
            <select
              value={one.consent}
              onChange={(event) => onChange({ ...one, consent: event.target.value as Written['consent'] })}
              className={inputClass}
            >
              <option value="given">given</option>
              <option value="withdrawn">withdrawn</option>
              <option value="unknown">never asked</option>
            </select>
          </Field>
        </>
      )}
      {one.events.map((event, index) => (
        <fieldset key={index} className="grid gap-2 rounded-md border border-line p-3">
          <legend className="px-1 text-xs font-semibold text-soft">{index ? 'Then it happens' : 'It happens'}</legend>
          <div className="grid grid-cols-[1fr_auto] items-end gap-2">
            <Field label="Event" hint={`The person has ${sayDone(event.type || '…')}.`}>
              <input
                value={event.type}
                onChange={(field) => put(index, { type: field.target.value.trim() })}
                className={`${inputClass} font-mono`}
              />
            </Field>
            <Button
              kind="quiet"
              aria-label={`Remove ${event.type || 'this event'}`}
              disabled={one.events.length === 1}
              onClick={() => onChange({ ...one, events: one.events.filter((_, n) => n !== index) })}
              className="px-2"
            >
              <X size={16} aria-hidden="true" />
            </Button>
          </div>
          <DurationField label="After the beginning" value={event.after} onChange={(after) => put(index, { after })} />
          <Field label="What it tells" problem={readObject(event.data) ? null : 'This is no object of JSON.'}>
            <textarea
              value={event.data}
              rows={2}
              onChange={(field) => put(index, { data: field.target.value })}
              className={`${areaClass} font-mono`}
            />
          </Field>
        </fieldset>
      ))}
      {asking.map((step) => (
        <Answer
          key={step.id}
          step={step}
          answer={one.answers.find((answer) => answer.step === step.id)}
          onChange={(answer) =>
            onChange({ ...one, answers: [...one.answers.filter(({ step: id }) => id !== step.id), ...(answer ? [answer] : [])] })
          }
        />
      ))}
      <Button
        className="justify-self-start"
        onClick={() => onChange({ ...one, events: [...one.events, { type: 'order.placed', after: 'P1D', data: one.events[0]!.data }] })}
        disabled={one.events.length >= 20}
      >
        <Plus size={16} aria-hidden="true" /> Add an event
      </Button>
    </div>
  );
}

/** How something that is asked outside is answered in a rehearsal. */
function Answer({
  step,
  answer,
  onChange,
}: {
  step: CallStep | TaskStep;
  answer: Written['answers'][number] | undefined;
  onChange: (answer: Written['answers'][number] | null) => void;
}) {
  const way = answer ? (answer.ok ? 'yes' : 'no') : 'never';
  return (
    <fieldset className="grid gap-2 rounded-md border border-line p-3">
      <legend className="px-1 text-xs font-semibold text-soft">“{step.name}”</legend>
      <Field label={step.kind === 'call' ? 'It is answered' : 'It is done'}>
        <select
          value={way}
          onChange={(event) =>
            onChange(
              event.target.value === 'never' ? null : { step: step.id, after: answer?.after ?? 'PT5M', ok: event.target.value === 'yes' },
            )
          }
          className={inputClass}
        >
          <option value="never">never: time runs out</option>
          <option value="yes">well</option>
          <option value="no">{step.kind === 'call' ? 'with a failure' : 'not: it will not be done'}</option>
        </select>
      </Field>
      {answer && <DurationField label="After it is asked" value={answer.after} onChange={(after) => onChange({ ...answer, after })} />}
    </fieldset>
  );
}
