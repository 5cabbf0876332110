'use client';

import { useQuery } from '@tanstack/react-query';
import { bodyProblem } from '@/core/messages';
import type { OfferItem } from '@/core/api';
import { changeStep, type CallStep, type CodeStep, type LookupStep, type Step, type TaskStep } from '@/core/flows';
import { api, areaClass, DurationField, Field, inputClass, Link } from '../kit';
import { ArmLabel, AttributeField, NameField, Part, Tick, type Props } from './fields';

type Forking = CallStep | TaskStep | CodeStep | LookupStep;

/** Two ways on from a step, by what comes of it; they can be left out. */
export function TwoWays<S extends Forking>({ document, step, edit, words }: Props<S> & { words: readonly [string, string] }) {
  return (
    <>
      <Tick
        label="Two ways on"
        isOn={step.arms !== undefined}
        onChange={(isOn) =>
          edit(
            changeStep(document, step.id, (one) => {
              const { arms: _, ...plain } = one as Forking;
              return (
                isOn
                  ? {
                      ...plain,
                      arms: words.map((name, n) => ({ id: `${step.id.slice(0, 36)}-${n ? 'no' : 'yes'}`, name, when: null, steps: [] })),
                    }
                  : plain
              ) as Step;
            }),
            '',
          )
        }
      />
      {step.arms?.map((arm) => (
        <fieldset key={arm.id} className="grid gap-2 rounded-md border border-line p-3">
          <ArmLabel document={document} step={step as S} arm={arm} edit={(to) => edit(to, `${arm.id}.name`)} />
          <p className="text-xs text-soft">{arm === step.arms![0] ? words[0] : words[1]}</p>
        </fieldset>
      ))}
    </>
  );
}

/** A code of an offer: which one, what its guard says, and the ways on with it and without. */
export function CodePart({ document, step, edit }: Props<CodeStep>) {
  const { data } = useQuery({ queryKey: ['offers'], queryFn: () => api<{ offers: OfferItem[] }>('/offers'), staleTime: 30_000 });
  const offers = data?.offers.filter((one) => !one.isArchived) ?? [];
  const chosen = data?.offers.find((one) => one.key === step.offer);
  return (
    <Part title="Discount code">
      <NameField document={document} step={step} edit={edit} />
      <Field
        label="Offer"
        problem={
          data && !offers.some((one) => one.key === step.offer)
            ? `There is no offer ${step.offer}; choose one, or make it under Offers`
            : null
        }
      >
        <select
          value={step.offer}
          onChange={(event) =>
            edit(
              changeStep(document, step.id, (one) => ({ ...one, offer: event.target.value }) as Step),
              `${step.id}.offer`,
            )
          }
          className={inputClass}
        >
          {!offers.some((one) => one.key === step.offer) && <option value={step.offer}>{step.offer}</option>}
          {offers.map((one) => (
            <option key={one.key} value={one.key}>
              {one.name}
            </option>
          ))}
        </select>
      </Field>
      {chosen && (
        <p className="text-xs text-soft" data-testid="terms">
          {chosen.terms}; a code counts {chosen.expiry}.
          {chosen.guard.length > 0 && <> None goes to anybody who {chosen.guard.join(', or ')}.</>}{' '}
          <Link href={`/offers/${chosen.key}`} className="text-accent underline">
            Open the offer
          </Link>
        </p>
      )}
      {chosen?.isOver && (
        <p className="text-xs text-stop">{chosen.isOver === 'over' ? 'Its last day is over' : 'No code of it is left'}: nobody gets one.</p>
      )}
      <TwoWays document={document} step={step} edit={edit} words={['Got a code', 'Got none']} />
      <p className="text-xs text-soft">
        Messages further on may say {'{{ offer.code }}'}, {'{{ offer.expires }}'} and {'{{ offer.terms }}'}. A block that tells of the code
        is left out for who has none; a message whose code is over does not go out.
      </p>
    </Part>
  );
}

/** What steps that ask outside have in common: how long they wait, and the two ways on. */
function AskedFields<S extends CallStep | TaskStep>({ document, step, edit, words }: Props<S> & { words: readonly [string, string] }) {
  const put = (change: Partial<CallStep | TaskStep>, field: string) =>
    edit(
      changeStep(document, step.id, (one) => ({ ...one, ...change }) as Step),
      `${step.id}.${field}`,
    );
  return (
    <>
      <DurationField
        label={step.kind === 'task' ? 'Time to do it' : 'Waits for the answer at most'}
        value={step.within}
        onChange={(within) => put({ within }, 'within')}
      />
      <TwoWays document={document} step={step} edit={edit} words={words} />
    </>
  );
}

export const PLACEHOLDERS = 'Placeholders: {{ person.email }}, {{ event.value }}, {{ answers.step.name }}.';

/** A call to a system outside: where to, what it tells, and what follows from the answer. */
export function CallPart({ document, step, edit }: Props<CallStep>) {
  const put = (change: Partial<CallStep>, field: string) =>
    edit(
      changeStep(document, step.id, (one) => ({ ...one, ...change }) as Step),
      `${step.id}.${field}`,
    );
  return (
    <Part title="Call a system">
      <NameField document={document} step={step} edit={edit} />
      <Field
        label="Address"
        hint="It gets a signed POST; the secret stands under Settings, Calls."
        problem={URL.canParse(step.url) ? null : 'Not an address'}
      >
        <input
          value={step.url}
          onChange={(event) => put({ url: event.target.value.trim() }, 'url')}
          className={`${inputClass} font-mono`}
        />
      </Field>
      <Field label="What it tells, as JSON" hint={PLACEHOLDERS} problem={bodyProblem(step.body)}>
        <textarea
          value={step.body}
          rows={5}
          spellCheck={false}
          onChange={(event) => put({ body: event.target.value }, 'body')}
          className={`${areaClass} font-mono text-xs`}
        />
      </Field>
      <AskedFields document={document} step={step} edit={edit} words={['It answered', 'No answer']} />
      <p className="text-xs text-soft">
        What it answers with, as JSON, can be asked for in conditions further on (“the answer to a step”) and stand in messages.
      </p>
    </Part>
  );
}

/** A task for a colleague: what, who, by when, and what follows. */
export function TaskPart({ document, step, edit }: Props<TaskStep>) {
  const put = (change: Partial<TaskStep>, field: string) =>
    edit(
      changeStep(document, step.id, (one) => ({ ...one, ...change }) as Step),
      `${step.id}.${field}`,
    );
  return (
    <Part title="Task">
      <NameField document={document} step={step} edit={edit} />
      <Field label="What is to be done" hint={PLACEHOLDERS}>
        <textarea value={step.text} rows={4} onChange={(event) => put({ text: event.target.value }, 'text')} className={areaClass} />
      </Field>
      <Field label="Who does it">
        <select
          value={'attribute' in step.owner ? 'attribute' : 'to'}
          onChange={(event) => put({ owner: event.target.value === 'to' ? { to: '' } : { attribute: 'accountManager' } }, 'owner')}
          className={inputClass}
        >
          <option value="to">always the same</option>
          <option value="attribute">whom an attribute names</option>
        </select>
      </Field>
      {'to' in step.owner ? (
        <Field label="Their name or address" hint="Left empty, anybody may do it.">
          <input
            value={step.owner.to}
            maxLength={120}
            onChange={(event) => put({ owner: { to: event.target.value } }, 'owner.to')}
            className={inputClass}
          />
        </Field>
      ) : (
        <AttributeField value={step.owner.attribute} onChange={(attribute) => put({ owner: { attribute } }, 'owner.attribute')} />
      )}
      <AskedFields document={document} step={step} edit={edit} words={['It was done', 'It was not done in time']} />
    </Part>
  );
}
