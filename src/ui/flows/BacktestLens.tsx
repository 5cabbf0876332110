'use client';

import { keepPreviousData, useMutation, useQuery } from '@tanstack/react-query';
import { Slider } from 'radix-ui';
import { useMemo, useState } from 'react';
import type { BacktestView } from '@/core/api';
import { planOf, sayStep, type FlowDocument } from '@/core/flows';
import type { Assumed } from '@/core/replay';
import { DAY, localDate, startOfDate } from '@/core/time';
import {
  api,
  AsTable,
  Bars,
  Button,
  Field,
  inputClass,
  isoOf,
  NumberField,
  plural,
  Progress,
  sayCalendarDay,
  sayCount,
  sayMoment,
  sayShare,
  useStore,
  useStoreTime,
  useWork,
  wordsOf,
  Link,
} from '../kit';
import { type FigureLine, type MapLayer } from '../map';
import type { Fold } from './Stage';
import type { StepActs } from './useStepActs';
import { Viewed } from './Viewed';
import { drawnWidths } from './widths';

/** How far back the slider reaches, in days. */
const REACH = 365;

/** The draft over what really happened: how many would have entered, which ways they took, what they would have got, day by day and by name. */
export default function BacktestLens({
  flowKey,
  document,
  acts,
  fold,
}: {
  flowKey: string;
  document: FlowDocument;
  acts: StepActs;
  fold: Fold;
}) {
  const store = useStore();
  const now = useStoreTime();
  const today = useMemo(() => localDate(now(), store.zone), [now, store.zone]);
  const [[from, to], setPeriod] = useState<readonly [string, string]>(() => [dayBefore(today, 90), today]);
  const [assume, setAssume] = useState<Assumed | null>(null);
  const [id, setId] = useState<string | null>(null);
  const [played, setPlayed] = useState<FlowDocument | null>(null);
  const startOf = (day: string) => isoOf(startOfDate(day, store.zone)!);
  const begin = useMutation({
    mutationFn: () =>
      api<{ id: string }>(`/flows/${flowKey}/backtest`, {
        method: 'POST',
        // days are those of the store's calendar
        body: { document, from: startOf(from), to: startOf(to), ...(assume && { assume }) },
      }),
    onSuccess: (begun) => {
      setId(begun.id);
      setPlayed(document);
    },
  });
  const { data: work } = useWork(id);
  const result = work?.state === 'done' ? (work.result as unknown as BacktestView) : null;
  // of what was changed since, the numbers are not those of this draft
  const shown = played ?? document;
  const layer = useMemo(() => layerOf(shown, result), [shown, result]);
  const isRunning = begin.isPending || work?.state === 'running' || work?.state === 'waiting';
  const isBackwards = from >= to;
  return (
    <Viewed
      document={shown}
      acts={acts}
      fold={fold}
      layer={layer}
      name="Backtest"
      foot={
        <form
          className="grid gap-2 border-t border-line px-3 py-2"
          onSubmit={(event) => {
            event.preventDefault();
            begin.mutate();
          }}
        >
          <div className="flex items-center gap-3">
            <DayField label="From" value={from} onChange={(day) => setPeriod([day, to])} />
            <Slider.Root
              min={0}
              max={REACH}
              step={1}
              minStepsBetweenThumbs={1}
              value={[REACH - daysBetween(from, today), REACH - daysBetween(to, today)]}
              onValueChange={([a, b]) => setPeriod([dayBefore(today, REACH - a!), dayBefore(today, REACH - b!)])}
              className="relative flex h-8 min-w-0 flex-1 touch-none select-none items-center"
            >
              <Slider.Track className="relative h-1 grow rounded-sm bg-line">
                <Slider.Range className="absolute h-full rounded-sm bg-accent" />
              </Slider.Track>
              {['Begins', 'Ends'].map((name, index) => (
                <Slider.Thumb
                  key={name}
                  aria-label={name}
                  aria-valuetext={sayCalendarDay(index ? to : from)}
                  className="block size-4 rounded-full border-2 border-accent bg-panel"
                />
              ))}
            </Slider.Root>
            <DayField label="Up to" value={to} onChange={(day) => setPeriod([from, day])} />
            <Button kind="primary" type="submit" disabled={isBackwards || isRunning}>
              Play it
            </Button>
          </div>
          {isBackwards && <p className="text-xs text-stop">It ends before it begins.</p>}
          {begin.error && (
            <p role="alert" className="text-stop">
              {wordsOf(begin.error)}
            </p>
          )}
          {work && work.state !== 'done' && <Progress work={work} noun="people" />}
        </form>
      }
      pane={
        <div className="grid gap-4">
          {played && played !== document && (
            <p className="mr-8 text-caution">The draft has changed since; play it again for its own numbers.</p>
          )}
          {result ? (
            <Came result={result} document={shown} selected={acts.selected} flowKey={flowKey} />
          ) : (
            <p className="mr-8 text-soft">
              {isRunning
                ? 'Playing history…'
                : 'Play it, and see how many would have entered, which ways they took, and what they would have got on which days. Nothing goes out.'}
            </p>
          )}
          <Assumptions assume={assume} onChange={setAssume} />
        </div>
      }
    />
  );
}

const dayBefore = (day: string, days: number): string => isoOf(Date.parse(`${day}T00:00:00Z`) - days * DAY).slice(0, 10);
const daysBetween = (from: string, to: string): number =>
  Math.max(0, Math.min(REACH, Math.round((Date.parse(`${to}T00:00:00Z`) - Date.parse(`${from}T00:00:00Z`)) / DAY)));

const DayField = ({ label, value, onChange }: { label: string; value: string; onChange: (day: string) => void }) => (
  <label className="flex items-center gap-2 text-xs font-semibold text-soft">
    {label}
    <input
      type="date"
      value={value}
      required
      onChange={(event) => event.target.value && onChange(event.target.value)}
      className={`${inputClass} w-[136px] font-normal`}
    />
  </label>
);

/** What people are assumed to do with the messages, as sliders. */
function Assumptions({ assume, onChange }: { assume: Assumed | null; onChange: (assume: Assumed | null) => void }) {
  const { currency } = useStore();
  return (
    <section aria-label="Assumptions" className="grid gap-2 border-t border-line pt-3">
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={assume !== null}
          onChange={(event) => onChange(event.target.checked ? { open: 40, click: 8, order: 2, value: 60 } : null)}
        />
        Assume what people do with the messages
      </label>
      {assume &&
        (
          [
            ['open', 'Open'],
            ['click', 'Click'],
            ['order', 'Order'],
          ] as const
        ).map(([name, label]) => (
          <label key={name} className="grid grid-cols-[52px_1fr_52px] items-center gap-2">
            {label}
            <input
              type="range"
              min={0}
              max={100}
              step={1}
              value={assume[name]}
              aria-valuetext={`${assume[name]} of a hundred`}
              onChange={(event) => onChange({ ...assume, [name]: Number(event.target.value) })}
              className="accent-[var(--accent)]"
            />
            <span className="text-right tabular">{assume[name]} %</span>
          </label>
        ))}
      {assume && (
        <Field label={`An order is worth, ${currency}`}>
          <NumberField min={0} max={1_000_000} step="any" value={assume.value} onChange={(value) => onChange({ ...assume, value })} />
        </Field>
      )}
    </section>
  );
}

function layerOf(document: FlowDocument, result: BacktestView | null): MapLayer {
  if (!result) return { height: 0 };
  const lines = new Map<string, readonly FigureLine[]>([['entry', [{ text: plural(result.entered, 'run', 'runs'), tone: 'strong' }]]]);
  const sent = new Map<string, number>();
  for (const { step, count } of result.sends) sent.set(step, (sent.get(step) ?? 0) + count);
  const lost = (step: string, of: BacktestView['skipped']) =>
    of.filter((one) => one.step === step).reduce((sum, { count }) => sum + count, 0);
  for (const step of planOf(document).steps.values()) {
    if (step.kind !== 'send') continue;
    const skipped = lost(step.id, result.skipped);
    const held = lost(step.id, result.held);
    lines.set(step.id, [
      { text: `${sayCount(sent.get(step.id) ?? 0)} sent`, tone: 'strong' },
      ...(held ? [{ text: `${sayCount(held)} held`, tone: 'soft' } as const] : []),
      ...(skipped ? [{ text: `${sayCount(skipped)} skipped`, tone: 'soft' } as const] : []),
    ]);
  }
  const people = new Map(result.arms.map(({ arm, people }) => [arm, people]));
  return {
    height: 46,
    lines,
    arms: new Map(result.arms.map(({ arm, people }) => [arm, plural(people, 'run', 'runs')])),
    badges: new Map(result.peopleBy.map(({ step, people }) => [`wait ${step}`, `${sayCount(people)} at the end`])),
    widths: drawnWidths(document, people, result.entered),
  };
}

function Came({
  result,
  document,
  selected,
  flowKey,
}: {
  result: BacktestView;
  document: FlowDocument;
  selected: string;
  flowKey: string;
}) {
  const all = result.sends.reduce((sum, { count }) => sum + count, 0);
  const parts: { title: string; rows: { says: string; count: number }[] }[] = [
    { title: 'Did not enter, because', rows: result.notEntered.map(({ because, people }) => ({ says: because, count: people })) },
    { title: 'Skipped, because', rows: result.skipped.map(({ because, count }) => ({ says: because, count })) },
    { title: 'Held, because', rows: result.held.map(({ because, count }) => ({ says: because, count })) },
    { title: 'Codes', rows: result.codes.map(({ name, issued }) => ({ says: name, count: issued })) },
    { title: 'Got no code, because', rows: result.withheld.map(({ because, count }) => ({ says: because, count })) },
    { title: 'Still there at the end', rows: result.peopleBy.map(({ says, people }) => ({ says, count: people })) },
  ];
  return (
    <div className="grid gap-4" data-testid="backtest">
      <p className="mr-8">
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
      <Days title="Messages by day" noun={['message', 'messages']} days={result.sends} />
      {result.codeDays.length > 0 && <Days title="Codes by day" noun={['code', 'codes']} days={result.codeDays} />}
      <Who key={selected} result={result} document={document} selected={selected} flowKey={flowKey} />
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
  );
}

/** How many went out on each day. */
function Days({
  title,
  noun,
  days,
}: {
  title: string;
  noun: readonly [string, string];
  days: readonly { readonly day: string; readonly count: number }[];
}) {
  const byDay = useMemo(() => {
    const counts = new Map<string, number>();
    for (const { day, count } of days) counts.set(day, (counts.get(day) ?? 0) + count);
    const known = [...counts.keys()].sort();
    if (!known.length) return [];
    const all: { day: string; count: number }[] = [];
    for (let day = known[0]!; day <= known.at(-1)!; day = dayBefore(day, -1)) all.push({ day, count: counts.get(day) ?? 0 });
    return all;
  }, [days]);
  if (!byDay.length) return null;
  const every = Math.max(1, Math.ceil(byDay.length / 5));
  const most = byDay.reduce((best, one) => (one.count > best.count ? one : best));
  return (
    <section aria-label={title}>
      <h3 className="text-xs font-semibold text-soft">{title}</h3>
      <Bars
        name={title}
        sum={`At most ${plural(most.count, ...noun)}, on ${sayCalendarDay(most.day)}`}
        bars={byDay.map(({ day, count }, index) => ({
          key: day,
          value: count,
          says: `${sayCalendarDay(day)}: ${plural(count, ...noun)}`,
          label: index % every === 0 ? sayCalendarDay(day) : undefined,
        }))}
      />
      <AsTable
        name={title}
        rows={byDay}
        keyOf={({ day }) => day}
        columns={[
          { key: 'day', name: 'Day', value: ({ day }) => day, show: ({ day }) => sayCalendarDay(day) },
          { key: 'count', name: noun[1], isNumber: true, value: ({ count }) => count },
        ]}
      />
    </section>
  );
}

const SHOWN = 50;

/** Who would have entered, by name; of a step or arm that is chosen, who would have passed it. */
function Who({ result, document, selected, flowKey }: { result: BacktestView; document: FlowDocument; selected: string; flowKey: string }) {
  const { zone } = useStore();
  const step = planOf(document).steps.get(selected);
  const arms = step && 'arms' in step ? (step.arms ?? []).map((arm) => arm.id) : [];
  const isOf = step?.kind === 'send' || arms.length > 0;
  const people = isOf ? result.who.filter(({ passed }) => passed.some((one) => one === selected || arms.includes(one))) : result.who;
  const [page, setPage] = useState(0);
  const shown = people.slice(page * SHOWN, (page + 1) * SHOWN);
  const ids = [...new Set(shown.map(({ person }) => person))];
  const names = useQuery({
    queryKey: ['backtest-names', flowKey, ids],
    queryFn: () => api<{ people: { person: string; name: string }[] }>(`/flows/${flowKey}/backtest?people=${ids.join(',')}`),
    enabled: ids.length > 0,
    placeholderData: keepPreviousData,
  });
  const called = new Map(names.data?.people.map(({ person, name }) => [person, name]));
  if (!result.who.length) return null;
  return (
    <section aria-label="Who">
      <h3 className="text-xs font-semibold text-soft">
        {isOf && step ? `Who would have come to ${sayStep(step)}` : 'Who would have entered'}
      </h3>
      {!shown.length && <p className="text-soft">None of those who are known by name.</p>}
      <ul className="max-h-[240px] overflow-y-auto">
        {shown.map(({ person, at, goal }, index) => (
          <li key={index} className="flex gap-2 border-b border-line py-0.5">
            <Link href={`/people/~${person}`} className="min-w-0 flex-1 truncate hover:underline">
              {called.get(person) ?? (names.isPending ? '…' : `~${person}`)}
            </Link>
            {goal && <span className="text-good">goal</span>}
            <span className="text-xs text-soft tabular">{sayMoment(isoOf(at), zone)}</span>
          </li>
        ))}
      </ul>
      {people.length > SHOWN && (
        <p className="text-xs text-soft">
          {sayCount(page * SHOWN + 1)} to {sayCount(page * SHOWN + shown.length)} of {sayCount(people.length)}
          {result.entered > result.who.length && ` that are known by name, of ${sayCount(result.entered)} in all`}.{' '}
          <button
            type="button"
            className="min-h-6 text-accent underline disabled:opacity-40"
            disabled={!page}
            onClick={() => setPage(page - 1)}
          >
            Earlier
          </button>{' '}
          <button
            type="button"
            className="min-h-6 text-accent underline disabled:opacity-40"
            disabled={(page + 1) * SHOWN >= people.length}
            onClick={() => setPage(page + 1)}
          >
            Further
          </button>
        </p>
      )}
    </section>
  );
}
