'use client';

import { useQuery } from '@tanstack/react-query';
import { X } from 'lucide-react';
import { Fragment } from 'react';
import type { FlowReport } from '@/core/api';
import {
  changeArm,
  changeStep,
  MOST_TRIGGERS,
  PLAIN_PRIORITY,
  planOf,
  type BranchStep,
  type FlowDocument,
  type Reentry,
  type Step,
  type Trigger,
} from '@/core/flows';
import type { Rule } from '@/core/rules';
import { sayMoney } from '@/core/money';
import { api, Button, DurationField, Field, inputClass, NumberField, plural, sayCount, sayShare, useStore } from '../kit';
import { MessageEditor } from './MessageEditor';
import { RuleEditor } from '../rules';
import { AboutPart } from './AboutPart';
import { GoalPart } from './GoalPart';
import { TriggerPart } from './TriggerPart';
import { ArmLabel, Audience, NameField, Part, Tick, type Edit } from './fields';
import { AddStep, ChosenBar, StepBar } from './StepBar';
import type { StepActs } from './useStepActs';
import { CallPart, CodePart, TaskPart } from './AskEditors';
import { HandPart, IdeaPart, LimitsPart, RecordPart } from './StepEditors';
import { TestPart } from './TestPart';
import { LookupPart } from './LookupPart';
import { NotePart } from './NotePart';
import { UpdatePart } from './UpdatePart';
import { WaitPart } from './WaitPart';

interface Props {
  readonly document: FlowDocument;
  readonly acts: StepActs;
  readonly edit: Edit;
  /** what came of it so far, where it was ever on */
  readonly report?: FlowReport | undefined;
}

/** Edits what is selected on the line map or in the script. */
export function Inspector({ document, acts, edit, report }: Props) {
  const step = planOf(document).steps.get(acts.selected);
  if (acts.chosen.length > 1) return <ChosenBar document={document} acts={acts} />;
  if (!step)
    return (
      <div className="grid gap-4">
        <TriggerEditor document={document} edit={edit} />
        <AddStep document={document} place={{ armId: null, index: 0 }} label="Add the first step" edit={edit} onAdded={acts.select} />
      </div>
    );
  return (
    <div className="grid gap-4">
      <StepPart document={document} step={step} edit={edit} onSelect={acts.select} report={report} />
      <Lately figures={report?.steps.find((one) => one.id === step.id)} />
      <StepBar document={document} step={step} edit={edit} acts={acts} />
    </div>
  );
}

/** What a step did lately, where it was on. */
function Lately({ figures }: { figures: FlowReport['steps'][number] | undefined }) {
  if (!figures || (figures.kind !== 'send' && !figures.waiting)) return null;
  const parts = [
    figures.kind === 'send' && `${sayCount(figures.sent)} sent`,
    figures.kind === 'send' && figures.sent > 0 && `${sayShare(figures.opened, figures.sent)} opened`,
    figures.kind === 'send' && figures.sent > 0 && `${sayShare(figures.clicked, figures.sent)} clicked`,
    figures.kind === 'send' && figures.skipped > 0 && `${sayCount(figures.skipped)} skipped`,
    figures.orders > 0 && `${plural(figures.orders, 'order', 'orders')}, ${sayMoney(figures.revenue)}`,
    figures.waiting > 0 && `${plural(figures.waiting, 'person waits', 'people wait')} here now`,
  ].filter(Boolean);
  return (
    <p className="text-xs text-soft tabular" data-testid="lately">
      <span className="font-semibold">In the last 30 days: </span>
      {parts.join('; ')}
    </p>
  );
}

function StepPart({ document, step, edit, onSelect, report }: Omit<Props, 'acts'> & { step: Step; onSelect: (id: string) => void }) {
  const store = useStore();
  switch (step.kind) {
    case 'wait':
      return <WaitPart document={document} step={step} edit={edit} zone={store.zone} />;
    case 'test':
      return (
        <TestPart
          document={document}
          step={step}
          edit={edit}
          onSelect={onSelect}
          came={report?.steps.find((one) => one.id === step.id)?.arms ?? []}
          decided={report?.steps.find((one) => one.id === step.id)?.decided}
        />
      );
    case 'record':
      return <RecordPart document={document} step={step} edit={edit} />;
    case 'update':
      return <UpdatePart document={document} step={step} edit={edit} />;
    case 'code':
      return <CodePart document={document} step={step} edit={edit} />;
    case 'call':
      return <CallPart document={document} step={step} edit={edit} />;
    case 'task':
      return <TaskPart document={document} step={step} edit={edit} />;
    case 'lookup':
      return <LookupPart document={document} step={step} edit={edit} />;
    case 'note':
      return <NotePart document={document} step={step} edit={edit} />;
    case 'hand':
      return <HandPart document={document} step={step} edit={edit} />;
    case 'idea':
      return <IdeaPart document={document} step={step} edit={edit} />;
    case 'send':
      return (
        <Part title="Message">
          <MessageEditor
            key={step.id}
            step={step}
            triggerType={document.triggers[0]!.event}
            onChange={(next, field) =>
              edit(
                changeStep(document, step.id, () => next),
                `${step.id}.${field}`,
              )
            }
          />
          <LimitsPart document={document} step={step} edit={edit} />
        </Part>
      );
    case 'branch':
      return <BranchEditor document={document} step={step} edit={edit} />;
    case 'end':
      return (
        <Part title="End">
          <p>Here the run is over. Those who have not reached the goal are still watched for it until its window closes.</p>
        </Part>
      );
  }
}

function BranchEditor({ document, step, edit }: { document: FlowDocument; step: BranchStep; edit: Props['edit'] }) {
  return (
    <Part title="Branch">
      <NameField document={document} step={step} edit={edit} />
      <p className="text-xs text-soft">The first arm whose condition holds is taken.</p>
      {step.arms.map((arm) => (
        <fieldset key={arm.id} className="grid gap-2 rounded-md border border-line p-3">
          <ArmLabel document={document} step={step} arm={arm} edit={edit} />
          {arm.when ? (
            <RuleEditor
              rule={arm.when}
              startedBy={document.triggers[0]!.event}
              onChange={(when, tag) =>
                edit(
                  changeArm(document, step.id, arm.id, (one) => ({ ...one, when })),
                  tag && `${arm.id}.${tag}`,
                )
              }
            />
          ) : (
            <p className="text-soft">Everyone else</p>
          )}
        </fieldset>
      ))}
    </Part>
  );
}

function TriggerEditor({ document, edit }: { document: FlowDocument; edit: Props['edit'] }) {
  const { triggers } = document;
  const putTrigger = (trigger: Trigger, field: string) =>
    edit({ ...document, triggers: triggers.map((one) => (one.id === trigger.id ? trigger : one)) }, `${trigger.id}.${field}`);
  return (
    <Part title="Start and rules">
      <Field label="Name of the flow">
        <input
          value={document.name}
          maxLength={80}
          onChange={(event) => edit({ ...document, name: event.target.value }, 'name')}
          className={inputClass}
        />
      </Field>
      <div className="grid gap-2">
        {triggers.map((trigger) => (
          <Fragment key={trigger.id}>
            <TriggerPart
              document={document}
              trigger={trigger}
              put={putTrigger}
              {...(triggers.length > 1 && {
                remove: () => edit({ ...document, triggers: triggers.filter(({ id }) => id !== trigger.id) }, ''),
              })}
            />
            {trigger.event === 'form.submitted' && trigger.kind === 'event' && <ListensTo trigger={trigger} put={putTrigger} />}
          </Fragment>
        ))}
        {triggers.length < MOST_TRIGGERS && (
          <Button
            onClick={() => {
              const taken = new Set(triggers.map((one) => one.id));
              const id = Array.from({ length: MOST_TRIGGERS }, (_, n) => `start-${n + 2}`).find((one) => !taken.has(one))!;
              edit({ ...document, triggers: [...triggers, { id, kind: 'event', event: 'order.placed', key: null }] }, '');
            }}
          >
            Add another trigger
          </Button>
        )}
        <RuleField
          term="Enters who"
          rule={document.entry}
          startedBy={triggers[0]!.event}
          onChange={(entry, tag) => edit({ ...document, entry }, tag && `entry.${tag}`)}
        />
        <Audience rule={document.entry} />
        <RuleField
          term="Stays who"
          rule={document.stay}
          startedBy={triggers[0]!.event}
          onChange={(stay, tag) => edit({ ...document, stay }, tag && `stay.${tag}`)}
        />
        <ReentryField document={document} edit={edit} />
        <GoalPart document={document} edit={edit} />
        <EntryFields document={document} edit={edit} />
        <PerDayFields document={document} edit={edit} />
        <AboutPart document={document} edit={edit} />
        <Checks document={document} edit={edit} />
      </div>
    </Part>
  );
}

/** The flow's own checks: kept from a rehearsal, looked at before each publishing. */
function Checks({ document, edit }: { document: FlowDocument; edit: Edit }) {
  const checks = document.checks ?? [];
  return (
    <section aria-label="Checks" className="grid gap-1">
      <h3 className="text-xs font-semibold text-soft">Checks before each publishing</h3>
      {!checks.length && <p className="text-xs text-soft">None yet. Try the flow out on somebody made up, and keep what comes of it.</p>}
      {checks.map((check, index) => (
        <div key={check.name} className="flex items-start justify-between gap-2">
          <span>
            {check.name}
            <span className="block text-xs text-soft">
              {plural(check.expects.sends.length, 'message', 'messages')}
              {check.expects.goal ? ', goal reached' : ''}
            </span>
          </span>
          <Button
            kind="quiet"
            aria-label={`Remove the check “${check.name}”`}
            className="px-2"
            onClick={() => {
              const { checks: _, ...rest } = document;
              const left = checks.filter((_one, n) => n !== index);
              edit(left.length ? { ...rest, checks: left } : rest, '');
            }}
          >
            <X size={16} aria-hidden="true" />
          </Button>
        </div>
      ))}
    </section>
  );
}

/** How many enter on one day, and what becomes of the others. */
function PerDayFields({ document, edit }: { document: FlowDocument; edit: Edit }) {
  const { perDay } = document;
  const put = (next: FlowDocument['perDay']) => {
    const { perDay: _, ...rest } = document;
    edit(next ? { ...rest, perDay: next } : rest, 'perDay');
  };
  return (
    <>
      <Tick
        label="So many a day at most"
        isOn={perDay !== undefined}
        onChange={(isOn) => put(isOn ? { most: 1000, beyond: 'wait' } : undefined)}
      />
      {perDay && (
        <div className="grid grid-cols-2 gap-2">
          <Field label="Enter on one day" hint="By the store’s calendar">
            <NumberField min={1} max={1_000_000} step={1} value={perDay.most} onChange={(most) => put({ ...perDay, most })} />
          </Field>
          <Field label="The others">
            <select
              value={perDay.beyond}
              onChange={(event) => put({ ...perDay, beyond: event.target.value as 'wait' | 'drop' })}
              className={inputClass}
            >
              <option value="wait">wait for the next day</option>
              <option value="drop">do not enter</option>
            </select>
          </Field>
        </div>
      )}
    </>
  );
}

/** When people enter, how many get nothing, and who goes first. */
function EntryFields({ document, edit }: { document: FlowDocument; edit: Edit }) {
  const { window, control } = document;
  const put = (change: Partial<FlowDocument>, field: string) => edit({ ...document, ...change }, field);
  const putWindow = (change: NonNullable<FlowDocument['window']>) => {
    const next = Object.fromEntries(Object.entries({ ...window, ...change }).filter(([, value]) => value)) as NonNullable<
      FlowDocument['window']
    >;
    put({ window: next.from || next.to ? next : undefined }, 'window');
  };
  return (
    <>
      <div className="grid grid-cols-2 gap-2">
        <Field label="Enters from">
          <input
            type="date"
            value={window?.from ?? ''}
            onChange={(event) => putWindow({ from: event.target.value })}
            className={inputClass}
          />
        </Field>
        <Field label="Up to and with" problem={window?.from && window.to && window.from > window.to ? 'Before it begins' : null}>
          <input type="date" value={window?.to ?? ''} onChange={(event) => putWindow({ to: event.target.value })} className={inputClass} />
        </Field>
      </div>
      {window?.to && (
        <label className="flex items-center gap-2">
          <input type="checkbox" checked={window.leave ?? false} onChange={(event) => putWindow({ leave: event.target.checked })} />
          Who is inside after that day leaves
        </label>
      )}
      <div className="grid grid-cols-2 gap-2">
        <Field label="Control group, %" hint="Drawn by lot, gets nothing">
          <NumberField
            min={0}
            max={90}
            step={1}
            value={control ?? 0}
            onChange={(share) => put({ control: share || undefined }, 'control')}
          />
        </Field>
        <Field label="Priority" hint={`0 to 100; ${PLAIN_PRIORITY} is plain`}>
          <NumberField
            min={0}
            max={100}
            step={1}
            value={document.priority ?? PLAIN_PRIORITY}
            onChange={(priority) => put({ priority: priority === PLAIN_PRIORITY ? undefined : priority }, 'priority')}
          />
        </Field>
      </div>
    </>
  );
}

/** How often the same person may start. */
function ReentryField({ document, edit }: { document: FlowDocument; edit: Edit }) {
  const { reentry, triggers } = document;
  const noun = triggers[0]!.event.split('.')[0];
  const hasKeys = triggers.every(({ key }) => key !== null);
  return (
    <>
      <Field label="May start">
        <select
          value={typeof reentry === 'object' ? 'after' : reentry}
          onChange={(event) => {
            const to = event.target.value as Exclude<Reentry, object> | 'after';
            edit({ ...document, reentry: to === 'after' ? { after: 'P30D' } : to }, 'reentry');
          }}
          className={inputClass}
        >
          <option value="once-per-key" disabled={!hasKeys}>
            once for each {noun}
          </option>
          <option value="once">once ever</option>
          <option value="after">again after a while</option>
          <option value="always">every time</option>
        </select>
      </Field>
      {typeof reentry === 'object' && (
        <DurationField
          label="Again after"
          value={reentry.after}
          onChange={(after) => edit({ ...document, reentry: { after } }, 'reentry.after')}
        />
      )}
    </>
  );
}

/** Which forms a flow listens to: all, those made later too, or some by name. */
function ListensTo({ trigger, put: putTrigger }: { trigger: Trigger; put: (trigger: Trigger, field: string) => void }) {
  const forms = useQuery({ queryKey: ['forms'], queryFn: () => api<{ forms: { key: string; name: string }[] }>('/forms') });
  const ask = trigger.where?.find((one) => one.property === 'formId');
  const chosen = ask && !('any' in ask) ? (ask.op === 'oneOf' ? (ask.value as string[]) : [String(ask.value)]) : null;
  const put = (keys: string[] | null) => {
    const others = (trigger.where ?? []).filter((one) => one.property !== 'formId');
    putTrigger({ ...trigger, where: keys ? [...others, { property: 'formId', op: 'oneOf', value: keys }] : others }, 'forms');
  };
  return (
    <fieldset className="grid gap-1 rounded-md border border-line p-3">
      <legend className="px-1 text-xs font-semibold text-soft">Listens to</legend>
      <label className="flex items-center gap-2">
        <input type="radio" name="listens" checked={chosen === null} onChange={() => put(null)} />
        all forms, those made later too
      </label>
      <label className="flex items-center gap-2">
        <input
          type="radio"
          name="listens"
          checked={chosen !== null}
          onChange={() => put(forms.data?.forms.slice(0, 1).map((form) => form.key) ?? [])}
        />
        these forms
      </label>
      {chosen !== null &&
        forms.data?.forms.map((form) => (
          <label key={form.key} className="flex items-center gap-2 pl-6">
            <input
              type="checkbox"
              checked={chosen.includes(form.key)}
              onChange={(event) => put(event.target.checked ? [...chosen, form.key] : chosen.filter((key) => key !== form.key))}
            />
            {form.name}
          </label>
        ))}
      {chosen
        ?.filter((key) => forms.data && !forms.data.forms.some((form) => form.key === key))
        .map((key) => (
          <p key={key} className="pl-6 text-xs text-caution">
            The form {key} is not there any more.
          </p>
        ))}
      {chosen?.length === 0 && <p className="text-xs text-stop">No form is chosen: nobody would start.</p>}
    </fieldset>
  );
}

/** A rule of the flow that may be left out: then it is anyone. */
function RuleField({
  term,
  rule,
  startedBy,
  onChange,
}: {
  term: string;
  rule: Rule | null;
  startedBy: string;
  onChange: (rule: Rule | null, tag: string) => void;
}) {
  return (
    <section aria-label={term} className="grid gap-1">
      <h3 className="flex items-baseline justify-between text-xs font-semibold text-soft">
        {term}
        <button type="button" className="font-normal text-accent underline" onClick={() => onChange(rule ? null : { all: [] }, '')}>
          {rule ? 'Let it be anyone' : 'Ask for something'}
        </button>
      </h3>
      {rule ? <RuleEditor rule={rule} startedBy={startedBy} onChange={onChange} /> : <div>anyone</div>}
    </section>
  );
}
