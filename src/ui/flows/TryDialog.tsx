'use client';

import { useMutation } from '@tanstack/react-query';
import { clsx } from 'clsx';
import { Plus, X } from 'lucide-react';
import { useState } from 'react';
import { toast } from 'sonner';
import type { BacktestView, RehearsalView, WorkView } from '@/core/api';
import { stepsOf, type CallStep, type Check, type FlowDocument, type TaskStep } from '@/core/flows';
import type { Assumed } from '@/core/replay';
import { sayDone } from '@/core/rules';
import { DAY, localDate, startOfDate } from '@/core/time';
import {
  api,
  areaClass,
  Button,
  Dialog,
  DurationField,
  Field,
  inputClass,
  isoOf,
  NumberField,
  plural,
  Progress,
  sayCount,
  sayMoment,
  sayShare,
  useStore,
  useStoreTime,
  useWork,
  wordsOf,
} from '../kit';
import type { Edit } from './fields';

/** Trying a flow out: on somebody, made up or on file, and over what has happened. Nothing leaves the house. */
export function TryDialog({
  flowKey,
  document,
  edit,
  isOpen,
  onClose,
}: {
  flowKey: string;
  document: FlowDocument;
  edit: Edit;
  isOpen: boolean;
  onClose: () => void;
}) {
  const [way, setWay] = useState<'somebody' | 'history'>('somebody');
  return (
    <Dialog
      isOpen={isOpen}
      onClose={onClose}
      width={980}
      title={`Try “${document.name}” out`}
      about="The draft as it stands, run by the very code that runs it for real. No message goes out and nothing is stored."
    >
      <div role="tablist" aria-label="How to try it" className="flex justify-self-start rounded-md border border-line">
        {(['somebody', 'history'] as const).map((one) => (
          <button
            key={one}
            role="tab"
            type="button"
            aria-selected={way === one}
            onClick={() => setWay(one)}
            className={clsx(
              'h-8 px-3 font-semibold first:rounded-l-[5px] last:rounded-r-[5px]',
              way === one ? 'bg-ink text-paper' : 'hover:bg-wash',
            )}
          >
            {one === 'somebody' ? 'On somebody' : 'Over history'}
          </button>
        ))}
      </div>
      {way === 'somebody' ? (
        <Rehearsal flowKey={flowKey} document={document} edit={edit} />
      ) : (
        <Backtest flowKey={flowKey} document={document} />
      )}
    </Dialog>
  );
}

interface Happens {
  readonly type: string;
  readonly after: string;
  readonly data: string;
}

/** What a trigger would start with, as a first guess. */
function sampleOf(document: FlowDocument): Happens {
  const [trigger] = document.triggers;
  const { event, key } = trigger!;
  const data = { ...(key && { [key]: 'example-1' }), ...(/^(cart|order)\./.test(event) && { value: 140, currency: 'EUR' }) };
  return { type: event, after: 'PT1M', data: JSON.stringify(data) };
}

const readData = (text: string): object | null => {
  try {
    const value: unknown = JSON.parse(text.trim() || '{}');
    return value !== null && typeof value === 'object' && !Array.isArray(value) ? value : null;
  } catch {
    return null;
  }
};

type Asked = Pick<Check, 'madeUp' | 'events' | 'answers'> & { person?: string };

function Rehearsal({ flowKey, document, edit }: { flowKey: string; document: FlowDocument; edit: Edit }) {
  const [who, setWho] = useState<'madeUp' | 'onFile'>('madeUp');
  const [person, setPerson] = useState('');
  const [attributes, setAttributes] = useState('{"firstName": "Robin", "country": "NL"}');
  const [consent, setConsent] = useState<'given' | 'withdrawn' | 'unknown'>('given');
  const [events, setEvents] = useState<readonly Happens[]>(() => [sampleOf(document)]);
  const put = (index: number, change: Partial<Happens>) => setEvents(events.map((one, n) => (n === index ? { ...one, ...change } : one)));
  const [answers, setAnswers] = useState<NonNullable<Check['answers']>>([]);
  // what is asked outside can be answered by hand
  const asking = stepsOf(document).filter((step): step is CallStep | TaskStep => step.kind === 'call' || step.kind === 'task');
  /** who is sent through, and what happens to them, as it stands in the form now */
  const askedNow = (): Asked => ({
    ...(who === 'onFile'
      ? { person: person.trim() }
      : {
          madeUp: { attributes: readData(attributes) as NonNullable<Check['madeUp']>['attributes'] & object, consent: { email: consent } },
        }),
    events: events.map(({ type, after, data }) => ({ type, after, data: readData(data) as Check['events'][number]['data'] & object })),
    ...(answers.length && { answers }),
  });
  const run = useMutation({
    mutationFn: (asked: Asked) => api<RehearsalView>(`/flows/${flowKey}/rehearse`, { method: 'POST', body: { document, ...asked } }),
  });
  // what was rehearsed is kept, whatever has been changed in the form since
  const keep = (name: string, { person: _, ...asked }: Asked, view: RehearsalView) => {
    const [one] = view.people;
    const expects = { sends: one!.sends.map((send) => send.step), goal: one!.runs.some((its) => its.goalAt !== null) };
    const others = (document.checks ?? []).filter((check) => check.name !== name);
    edit({ ...document, checks: [...others, { name, ...asked, expects }] }, '');
    toast.success(`Kept: “${name}” is looked at before each publishing.`);
  };
  const isSound =
    events.every(({ type, data }) => type && readData(data)) && (who === 'onFile' ? person.trim() !== '' : readData(attributes) !== null);
  return (
    <div className="grid grid-cols-[340px_1fr] gap-5">
      <form
        className="grid content-start gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          run.mutate(askedNow());
        }}
      >
        <Field label="Who">
          <select value={who} onChange={(event) => setWho(event.target.value as typeof who)} className={inputClass}>
            <option value="madeUp">somebody made up</option>
            <option value="onFile">somebody on file</option>
          </select>
        </Field>
        {who === 'onFile' ? (
          <Field label="Their id" hint="External id, or ~ and their number; their history counts.">
            <input value={person} onChange={(event) => setPerson(event.target.value)} className={inputClass} />
          </Field>
        ) : (
          <>
            <Field label="What is on file" problem={readData(attributes) ? null : 'This is no object of JSON.'}>
              <textarea
                value={attributes}
                rows={2}
                onChange={(event) => setAttributes(event.target.value)}
                className={`${areaClass} font-mono`}
              />
            </Field>
            <Field label="Consent to email">
              <select value={consent} onChange={(event) => setConsent(event.target.value as typeof consent)} className={inputClass}>
                <option value="given">given</option>
                <option value="withdrawn">withdrawn</option>
                <option value="unknown">never asked</option>
              </select>
            </Field>
          </>
        )}
        {events.map((event, index) => (
          <fieldset key={index} className="grid gap-2 rounded-md border border-line p-3">
            <legend className="px-1 text-xs font-semibold text-soft">{index ? 'Then it happens' : 'It happens'}</legend>
            <div className="grid grid-cols-[1fr_auto] items-end gap-2">
              <Field label="Event" hint={`The person has ${sayDone(event.type || '…')}.`}>
                <input
                  value={event.type}
                  onChange={(one) => put(index, { type: one.target.value.trim() })}
                  className={`${inputClass} font-mono`}
                />
              </Field>
              <Button
                kind="quiet"
                aria-label={`Remove ${event.type || 'this event'}`}
                disabled={events.length === 1}
                onClick={() => setEvents(events.filter((_, n) => n !== index))}
                className="px-2"
              >
                <X size={16} aria-hidden="true" />
              </Button>
            </div>
            <DurationField label="After the beginning" value={event.after} onChange={(after) => put(index, { after })} />
            <Field label="What it tells" problem={readData(event.data) ? null : 'This is no object of JSON.'}>
              <textarea
                value={event.data}
                rows={2}
                onChange={(one) => put(index, { data: one.target.value })}
                className={`${areaClass} font-mono`}
              />
            </Field>
          </fieldset>
        ))}
        {asking.map((step) => (
          <Answer
            key={step.id}
            step={step}
            answer={answers.find((one) => one.step === step.id)}
            onChange={(answer) => setAnswers([...answers.filter((one) => one.step !== step.id), ...(answer ? [answer] : [])])}
          />
        ))}
        <div className="flex gap-2">
          <Button
            onClick={() => setEvents([...events, { type: 'order.placed', after: 'P1D', data: events[0]!.data }])}
            disabled={events.length >= 20}
          >
            <Plus size={16} aria-hidden="true" /> Add an event
          </Button>
          <div className="flex-1" />
          <Button kind="primary" type="submit" disabled={!isSound || run.isPending}>
            Rehearse
          </Button>
        </div>
      </form>
      <div aria-live="polite" className="min-w-0">
        {run.error ? (
          <p role="alert" className="text-stop">
            {wordsOf(run.error)}
          </p>
        ) : run.data ? (
          <>
            <Rehearsed view={run.data} />
            {run.variables.madeUp && (run.data.people[0]?.runs.length ?? 0) > 0 && (
              <KeepCheck onKeep={(name) => keep(name, run.variables, run.data)} />
            )}
          </>
        ) : (
          <p className="text-soft">What comes of it is shown here, moment by moment.</p>
        )}
      </div>
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
  answer: NonNullable<Check['answers']>[number] | undefined;
  onChange: (answer: NonNullable<Check['answers']>[number] | null) => void;
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

/** Keeps what was rehearsed as a check: before each publishing the same has to come of it. */
function KeepCheck({ onKeep }: { onKeep: (name: string) => void }) {
  const [name, setName] = useState('');
  return (
    <form
      className="mt-4 grid gap-2 border-t border-line pt-3"
      onSubmit={(event) => {
        event.preventDefault();
        onKeep(name.trim());
        setName('');
      }}
    >
      <h3 className="font-semibold">Keep it as a check</h3>
      <p className="text-xs text-soft">
        Before each publishing this person is sent through again, and the same messages have to come of it. Limits of the store are left
        aside.
      </p>
      <div className="flex items-end gap-2">
        <div className="flex-1">
          <Field label="What it shows">
            <input
              value={name}
              maxLength={80}
              placeholder="Who orders after the first mail gets no second"
              onChange={(event) => setName(event.target.value)}
              className={inputClass}
            />
          </Field>
        </div>
        <Button type="submit" disabled={!name.trim()}>
          Keep
        </Button>
      </div>
    </form>
  );
}

function Rehearsed({ view }: { view: RehearsalView }) {
  const { zone } = useStore();
  const [shown, setShown] = useState<number | null>(null);
  const [one] = view.people;
  if (!one) return null;
  return (
    <div className="grid gap-4">
      {one.isCut && <p className="text-stop">It went on without end and was stopped.</p>}
      {one.runs.length === 0 && <p className="text-soft">Nothing of this starts the flow.</p>}
      {one.runs.map((run, index) => (
        <section key={index} aria-label={`Run ${index + 1}`} className="grid gap-1">
          <h3 className="font-semibold">
            {run.key ? `For ${run.key}` : 'The run'}
            {run.goalAt && <span className="font-normal text-good"> · goal reached {sayMoment(isoOf(run.goalAt), zone)}</span>}
          </h3>
          <ol className="grid gap-px text-sm">
            {run.trace.map((entry, n) => (
              <li key={n} className="grid grid-cols-[130px_1fr] gap-2">
                <span className="tabular text-soft">{sayMoment(isoOf(entry.at), zone)}</span>
                <span>{entry.says}</span>
              </li>
            ))}
            {run.next && (
              <li className="grid grid-cols-[130px_1fr] gap-2 text-soft">
                <span className="tabular">{sayMoment(isoOf(run.next.at), zone)}</span>
                <span>would go on: {run.next.says}</span>
              </li>
            )}
          </ol>
        </section>
      ))}
      {one.sends.length > 0 && (
        <section aria-label="Messages" className="grid gap-2">
          <h3 className="font-semibold">{plural(one.sends.length, 'message', 'messages')}</h3>
          {one.sends.map((send, index) => (
            <div key={index} className="rounded-md border border-line">
              <button
                type="button"
                aria-expanded={shown === index}
                onClick={() => setShown(shown === index ? null : index)}
                className="grid w-full grid-cols-[130px_1fr] gap-2 px-2 py-1 text-left hover:bg-wash"
              >
                <span className="tabular text-soft">{sayMoment(isoOf(send.at), zone)}</span>
                <span>
                  <b>{send.name}</b>: {send.problem ?? send.subject}
                </span>
              </button>
              {shown === index && (
                <iframe
                  title={`${send.name} as it would look`}
                  sandbox=""
                  srcDoc={send.html}
                  className="h-[360px] w-full border-t border-line bg-white"
                />
              )}
            </div>
          ))}
        </section>
      )}
    </div>
  );
}

function Backtest({ flowKey, document }: { flowKey: string; document: FlowDocument }) {
  const store = useStore();
  const now = useStoreTime();
  const [from, setFrom] = useState(() => localDate(now() - 90 * DAY, store.zone));
  const [to, setTo] = useState(() => localDate(now(), store.zone));
  // days are those of the store's calendar
  const startOf = (day: string) => isoOf(startOfDate(day, store.zone)!);
  const [assume, setAssume] = useState<Assumed | null>(null);
  const [id, setId] = useState<string | null>(null);
  const begin = useMutation({
    mutationFn: () =>
      api<{ id: string }>(`/flows/${flowKey}/backtest`, {
        method: 'POST',
        body: { document, from: startOf(from), to: startOf(to), ...(assume && { assume }) },
      }),
    onSuccess: (begun) => setId(begun.id),
  });
  const work = useWork(id);
  return (
    <div className="grid gap-4">
      <form
        className="flex flex-wrap items-end gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          begin.mutate();
        }}
      >
        <Field label="From">
          <input type="date" value={from} onChange={(event) => setFrom(event.target.value)} className={inputClass} />
        </Field>
        <Field label="Up to" problem={from >= to ? 'Not after it begins' : null}>
          <input type="date" value={to} onChange={(event) => setTo(event.target.value)} className={inputClass} />
        </Field>
        <label className="flex h-9 items-center gap-2">
          <input
            type="checkbox"
            checked={assume !== null}
            onChange={(event) => setAssume(event.target.checked ? { open: 40, click: 8, order: 2, value: 60 } : null)}
          />
          Assume what people do with the messages
        </label>
        {assume &&
          (
            [
              ['open', 'Open, %'],
              ['click', 'Click, %'],
              ['order', 'Order, %'],
              ['value', `Worth, ${store.currency}`],
            ] as const
          ).map(([name, label]) => (
            <div key={name} className="w-[92px]">
              <Field label={label}>
                <NumberField
                  min={0}
                  max={name === 'value' ? 1_000_000 : 100}
                  step="any"
                  value={assume[name]}
                  onChange={(value) => setAssume({ ...assume, [name]: value })}
                />
              </Field>
            </div>
          ))}
        <Button kind="primary" type="submit" disabled={from >= to || begin.isPending || work.data?.state === 'running'}>
          Play it
        </Button>
      </form>
      {begin.error && (
        <p role="alert" className="text-stop">
          {wordsOf(begin.error)}
        </p>
      )}
      {work.data && <Progress work={work.data} noun="people" />}
      {work.data?.state === 'done' && <Tested work={work.data} />}
    </div>
  );
}

function Tested({ work }: { work: WorkView }) {
  const result = work.result as unknown as BacktestView;
  const sends = new Map<string, { name: string; count: number }>();
  for (const { step, name, count } of result.sends) sends.set(step, { name, count: (sends.get(step)?.count ?? 0) + count });
  const all = [...sends.values()].reduce((sum, { count }) => sum + count, 0);
  const parts: { title: string; rows: { says: string; count: number }[] }[] = [
    { title: 'Messages', rows: [...sends.values()].map(({ name, count }) => ({ says: name, count })) },
    { title: 'Ways taken', rows: result.arms.map(({ name, people }) => ({ says: name, count: people })) },
    { title: 'Did not enter, because', rows: result.notEntered.map(({ because, people }) => ({ says: because, count: people })) },
    { title: 'Skipped, because', rows: result.skipped.map(({ because, count }) => ({ says: because, count })) },
    { title: 'Held, because', rows: result.held.map(({ because, count }) => ({ says: because, count })) },
    { title: 'Still there at the end', rows: result.peopleBy.map(({ says, people }) => ({ says, count: people })) },
  ];
  return (
    <div className="grid gap-4" data-testid="backtest">
      <p>
        <b>{plural(result.entered, 'run', 'runs')}</b> would have entered, of {plural(result.people, 'person', 'people')}
        {result.control > 0 && <>, {sayCount(result.control)} more in the control group</>}. {plural(all, 'message', 'messages')};{' '}
        {sayCount(result.goalReached)} reached the goal{result.entered > 0 && ` (${sayShare(result.goalReached, result.entered)})`}.
        {result.compared && (
          <span className="block text-soft">
            What was on really did in that time: {plural(result.compared.entered, 'run', 'runs')},{' '}
            {plural(result.compared.sends, 'message', 'messages')}.
          </span>
        )}
        <span className="block text-soft">
          {result.assumed
            ? `Assumed: ${result.assumed.open} % open, ${result.assumed.click} % click, ${result.assumed.order} % order. These are guesses.`
            : 'Nothing is assumed of what people would have done with the messages; what they really did counts.'}
        </span>
      </p>
      <div className="grid grid-cols-2 gap-4">
        {parts
          .filter(({ rows }) => rows.length)
          .map(({ title, rows }) => (
            <section key={title} aria-label={title}>
              <h3 className="text-xs font-semibold text-soft">{title}</h3>
              <ul>
                {rows.map(({ says, count }, index) => (
                  <li key={index} className="flex gap-2 border-b border-line py-0.5">
                    <span className="min-w-0 flex-1">{says}</span>
                    <span className="tabular">{sayCount(count)}</span>
                  </li>
                ))}
              </ul>
            </section>
          ))}
      </div>
    </div>
  );
}
