'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { clsx } from 'clsx';
import { ChevronLeft, ChevronRight, Plus } from 'lucide-react';
import { useState } from 'react';
import type { BroadcastItem, CalendarDay, CalendarView, FlowView } from '@/core/api';
import { broadcastOf, documentOf } from '@/core/broadcasts';
import { dayNumber } from '@/core/time';
import { api, attempt, Button, doneUndoable, Empty, Failed, Link, Menu, plural, sayCalendarDay, sayCalendarMonth, sayCount } from '../kit';
import { NewBroadcast } from './NewBroadcast';
import { PHASE_WORDS } from './PhaseSignal';
import { OutPlaces } from './places';

type Item = CalendarDay['broadcasts'][number];
const WEEKDAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'] as const;
const nameOf = (day: number): string => new Date(day * 86_400_000).toISOString().slice(0, 10);
/** The Monday of a day's week: day 0 was a Thursday. */
const mondayOf = (day: number): number => day - ((((day + 3) % 7) + 7) % 7);
const WEEKS = 5;

/** Puts a planned broadcast on another day, at its hour. What was planned goes on being planned; a draft stays one. */
async function putOn(key: string, day: string): Promise<void> {
  const flow = await api<FlowView>(`/flows/${key}`);
  const broadcast = broadcastOf(flow.draft, key);
  if (!broadcast) throw new Error('It has been changed as a flow: open it, and change its schedule there.');
  if (flow.version !== null && flow.changes.length)
    throw new Error('Something of it was changed and is not planned yet. Open it, and plan it anew or undo that.');
  const starts = `${day}T${broadcast.when.starts.slice(11)}`;
  const next = documentOf({ ...broadcast, when: { ...broadcast.when, starts } }, key, flow.draft);
  const saved = await api<FlowView>(`/flows/${key}`, { method: 'PUT', body: next, headers: { 'if-match': `"${flow.revision}"` } });
  if (flow.state !== 'on') return;
  try {
    await api(`/flows/${key}/publish`, { method: 'POST', headers: { 'if-match': `"${saved.revision}"` } });
  } catch (error) {
    await api(`/flows/${key}`, { method: 'PUT', body: flow.draft });
    throw error;
  }
}

/** What goes out by day: broadcasts, which can be put on another day, and messages of flows, those gone and those to be expected. */
export function CalendarScreen({ initial }: { initial: CalendarView }) {
  const client = useQueryClient();
  const today = dayNumber(initial.today)!;
  const [first, setFirst] = useState(mondayOf(today));
  const [dragged, setDragged] = useState<Item | null>(null);
  const [over, setOver] = useState<string | null>(null);
  const [making, setMaking] = useState<string | null>(null);
  const [from, to] = [nameOf(first), nameOf(first + WEEKS * 7 - 1)];
  const { data, error, refetch, isPlaceholderData } = useQuery({
    queryKey: ['calendar', from],
    queryFn: () => api<CalendarView>(`/calendar?from=${from}&to=${to}`),
    placeholderData: (before) => before,
    refetchInterval: 30_000,
  });
  const broadcasts = useQuery({
    queryKey: ['broadcasts'],
    queryFn: () => api<{ broadcasts: BroadcastItem[] }>('/broadcasts'),
    enabled: making !== null,
  });
  const move = (item: Item, was: string, day: string) => {
    if (was === day) return;
    void attempt(async () => {
      await putOn(item.key, day);
      await client.invalidateQueries({ queryKey: ['calendar'] });
      doneUndoable(
        `“${item.name}” is on ${sayCalendarDay(day)} now.`,
        () => void attempt(() => putOn(item.key, was).then(() => client.invalidateQueries({ queryKey: ['calendar'] }))),
      );
    });
  };
  const dayOf = (item: Item) => data?.days.find((one) => one.broadcasts.includes(item))?.day ?? '';
  if (error && !data) return <Failed error={error} retry={() => void refetch()} />;
  const warnings = data?.days.flatMap((day) => day.warnings.map((says) => [day.day, says] as const)) ?? [];
  return (
    <>
      <OutPlaces />
      <div className="mx-auto max-w-[1280px] px-6 py-4">
        <div className="mb-3 flex items-center gap-3">
          <h1 className="text-xl font-semibold">
            {sayCalendarMonth(from)}
            {sayCalendarMonth(from) !== sayCalendarMonth(to) && ` to ${sayCalendarMonth(to)}`}
          </h1>
          <Button aria-label="Four weeks earlier" className="px-2" onClick={() => setFirst(first - 28)}>
            <ChevronLeft size={16} aria-hidden="true" />
          </Button>
          <Button onClick={() => setFirst(mondayOf(today))}>Today</Button>
          <Button aria-label="Four weeks later" className="px-2" onClick={() => setFirst(first + 28)}>
            <ChevronRight size={16} aria-hidden="true" />
          </Button>
          <p className="text-xs text-soft">A planned broadcast is dragged to another day, or moved by its menu.</p>
          <div className="flex-1" />
          <Button changes="/flows" kind="primary" onClick={() => setMaking(nameOf(Math.max(today + 1, first)))}>
            <Plus size={16} aria-hidden="true" /> New broadcast
          </Button>
        </div>
        {!data ? (
          <Empty title="Loading…" />
        ) : (
          <table aria-busy={isPlaceholderData} aria-label="What goes out by day" className="w-full table-fixed border-collapse bg-panel">
            <thead>
              <tr>
                {WEEKDAYS.map((word) => (
                  <th key={word} scope="col" className="border border-line px-2 py-1 text-left text-xs font-semibold text-soft">
                    {word}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {Array.from({ length: WEEKS }, (_, week) => (
                <tr key={week}>
                  {data.days.slice(week * 7, week * 7 + 7).map((day) => (
                    <td
                      key={day.day}
                      data-day={day.day}
                      aria-current={day.day === initial.today ? 'date' : undefined}
                      onDragOver={(event) => {
                        if (!dragged || day.day < initial.today) return;
                        event.preventDefault();
                        setOver(day.day);
                      }}
                      onDragLeave={() => setOver((now) => (now === day.day ? null : now))}
                      onDrop={(event) => {
                        event.preventDefault();
                        if (dragged) move(dragged, dayOf(dragged), day.day);
                        setDragged(null);
                        setOver(null);
                      }}
                      className={clsx(
                        'h-[112px] border border-line p-1 align-top',
                        day.day < initial.today && 'bg-paper',
                        day.isClosed && 'bg-wash',
                        over === day.day && 'outline outline-2 -outline-offset-2 outline-accent',
                      )}
                    >
                      <Day
                        day={day}
                        isToday={day.day === initial.today}
                        onDrag={setDragged}
                        onMove={(item, by) => move(item, day.day, nameOf(dayNumber(day.day)! + by))}
                        canMove={(by) => nameOf(dayNumber(day.day)! + by) >= initial.today}
                      />
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        )}
        {warnings.length > 0 && (
          <section aria-label="Too much for the same people" className="mt-3">
            <ul className="grid gap-1">
              {warnings.map(([day, says]) => (
                <li key={`${day} ${says}`} className="border-l-2 border-caution pl-2">
                  <b>{sayCalendarDay(day)}</b>: {says}
                </li>
              ))}
            </ul>
          </section>
        )}
      </div>
      {making && broadcasts.data && <NewBroadcast broadcasts={broadcasts.data.broadcasts} on={making} onClose={() => setMaking(null)} />}
    </>
  );
}

function Day({
  day,
  isToday,
  onDrag,
  onMove,
  canMove,
}: {
  day: CalendarDay;
  isToday: boolean;
  onDrag: (item: Item | null) => void;
  onMove: (item: Item, by: number) => void;
  canMove: (by: number) => boolean;
}) {
  const number = Number(day.day.slice(8));
  return (
    <>
      <div className="flex items-baseline justify-between gap-1 px-0.5 text-xs">
        <span className={clsx('tabular', isToday && 'rounded-sm bg-accent px-1 font-semibold text-on-accent')}>
          {number === 1 ? sayCalendarDay(day.day) : number}
        </span>
        {day.isClosed && <span className="text-soft">closed</span>}
        {day.warnings.length > 0 && (
          <span className="font-semibold text-caution" title={day.warnings.join('\n')}>
            {plural(day.warnings.length, 'warning', 'warnings')}
          </span>
        )}
      </div>
      <ul className="mt-1 grid gap-1">
        {day.broadcasts.map((item) => (
          <li
            key={`${item.key} ${item.time}`}
            draggable={item.isMovable}
            onDragStart={(event) => {
              event.dataTransfer.effectAllowed = 'move';
              event.dataTransfer.setData('text/plain', item.name);
              onDrag(item);
            }}
            onDragEnd={() => onDrag(null)}
            className={clsx(
              'flex items-start gap-1 rounded-sm border-l-[3px] px-1 py-0.5 text-xs',
              item.time === null ? 'border-moss bg-paper' : item.phase === 'draft' ? 'border-line bg-wash' : 'border-accent bg-wash',
              item.isMovable && 'cursor-grab',
            )}
          >
            <Link
              href={`/broadcasts/${item.key}`}
              className="min-w-0 flex-1 hover:underline"
              title={`${item.name}, ${PHASE_WORDS[item.phase]}`}
            >
              <span className="font-mono tabular">{item.time ?? sayCount(item.people)}</span> {item.name}
              {item.phase === 'draft' && <span className="text-soft"> (draft)</span>}
            </Link>
            {item.isMovable && (
              <Menu
                groups={[
                  [
                    canMove(-1) && { name: 'A day earlier', changes: '/flows/x/publish', onSelect: () => onMove(item, -1) },
                    { name: 'A day later', changes: '/flows/x/publish', onSelect: () => onMove(item, 1) },
                    canMove(-7) && { name: 'A week earlier', changes: '/flows/x/publish', onSelect: () => onMove(item, -7) },
                    { name: 'A week later', changes: '/flows/x/publish', onSelect: () => onMove(item, 7) },
                  ],
                ]}
              >
                <button type="button" aria-label={`Move ${item.name}`} className="px-0.5 text-soft hover:text-ink">
                  ⋮
                </button>
              </Menu>
            )}
          </li>
        ))}
      </ul>
      {(day.flows.sent > 0 || day.flows.due > 0) && (
        <p className="mt-1 px-0.5 text-xs text-soft tabular">
          {day.flows.sent > 0 && `${sayCount(day.flows.sent)} sent by flows`}
          {day.flows.sent > 0 && day.flows.due > 0 && ', '}
          {day.flows.due > 0 && `about ${plural(day.flows.due, 'message', 'messages')} of flows due`}
        </p>
      )}
    </>
  );
}
