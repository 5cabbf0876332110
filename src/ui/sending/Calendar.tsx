'use client';

import { useQuery } from '@tanstack/react-query';
import { max } from 'd3-array';
import { scaleQuantize } from 'd3-scale';
import type { SendCalendarView } from '@/core/api';
import { api, AsTable, ChartFrame, Empty, Failed, percent, plural, sayCalendarDay, sayCount, type TableColumn, useReading } from '../kit';

type Day = SendCalendarView['days'][number];
const [CELL, GAP, LEFT, TOP] = [22, 3, 40, 20];
const STEPS = [0.18, 0.36, 0.54, 0.76, 1] as const;
const WEEKDAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'] as const;

const share = (part: number, { sent }: Day): string => (sent ? percent(part / sent) : '');
const columns: TableColumn<Day>[] = [
  { key: 'day', name: 'Day', value: ({ day }) => day, show: ({ day }) => sayCalendarDay(day) },
  { key: 'sent', name: 'Messages', isNumber: true, value: ({ sent }) => sent },
  { key: 'people', name: 'People', isNumber: true, value: ({ people }) => people },
  {
    key: 'opened',
    name: 'Opened since',
    isNumber: true,
    value: ({ opened }) => opened,
    show: (day) => `${day.opened} (${share(day.opened, day)})`,
  },
  {
    key: 'clicked',
    name: 'Clicked since',
    isNumber: true,
    value: ({ clicked }) => clicked,
    show: (day) => `${day.clicked} (${share(day.clicked, day)})`,
  },
];

/** What went out, day by day, for half a year: a week is a column, a day the darker the more went out. */
export function SendCalendar() {
  const { data, error, refetch } = useQuery({
    queryKey: ['send-calendar'],
    queryFn: () => api<SendCalendarView>('/sending/calendar'),
    refetchInterval: 60_000,
  });
  const days = data?.days ?? [];
  const { at, read, keys } = useReading(days.length, 'last');
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return <Empty title="Counting…" />;
  const most = max(days, ({ sent }) => sent) ?? 0;
  if (!most) return <Empty title="Nothing has gone out yet" />;
  const shade = scaleQuantize<number>([0, most], [...STEPS]);
  const weeks = Math.ceil(days.length / 7);
  const shown = at === null ? null : days[at]!;
  const all = days.reduce((sum, { sent }) => sum + sent, 0);
  const busiest = days.reduce((best, day) => (day.sent > best.sent ? day : best));
  return (
    <div className="p-4">
      <p className="min-h-6 text-sm tabular" aria-live="polite">
        {shown ? (
          <>
            <b>{sayCalendarDay(shown.day)}</b>: {plural(shown.sent, 'message', 'messages')} to {plural(shown.people, 'person', 'people')}
            {shown.sent > 0 && `; ${share(shown.opened, shown)} opened, ${share(shown.clicked, shown)} clicked since`}
            {shown.isClosed && '; closed for marketing'}
          </>
        ) : (
          `${plural(all, 'message', 'messages')} in ${plural(weeks, 'week', 'weeks')}; most on ${sayCalendarDay(busiest.day)}: ${sayCount(busiest.sent)}`
        )}
      </p>
      <ChartFrame name="messages-by-day" title="Messages that went out, by day">
        <svg
          width={LEFT + weeks * (CELL + GAP)}
          height={TOP + 7 * (CELL + GAP)}
          role="img"
          aria-label="Messages that went out, by day of half a year; arrow keys read the days"
          className="max-w-full"
          {...keys}
        >
          {WEEKDAYS.map((name, row) => (
            <text key={name} x={0} y={TOP + row * (CELL + GAP) + 15} fontSize={11} className="fill-soft">
              {name}
            </text>
          ))}
          {days.map(({ day, sent, isClosed }, n) => {
            const [x, y] = [LEFT + Math.floor(n / 7) * (CELL + GAP), TOP + (n % 7) * (CELL + GAP)];
            return (
              <g key={day} onMouseEnter={() => read(n)}>
                {(n === 0 || day.endsWith('-01')) && (
                  <text x={x} y={12} fontSize={11} className="fill-soft">
                    {new Intl.DateTimeFormat('en-GB', { month: 'short', timeZone: 'UTC' }).format(new Date(`${day}T12:00:00Z`))}
                  </text>
                )}
                <rect x={x} y={y} width={CELL} height={CELL} rx={3} fill="var(--wash)" />
                {sent > 0 && <rect x={x} y={y} width={CELL} height={CELL} rx={3} fill="var(--lane-1)" opacity={shade(sent)} />}
                {isClosed && (
                  <line x1={x + 5} x2={x + CELL - 5} y1={y + CELL / 2} y2={y + CELL / 2} stroke="var(--ink)" strokeWidth={1.5} />
                )}
                {at === n && (
                  <rect
                    x={x + 0.75}
                    y={y + 0.75}
                    width={CELL - 1.5}
                    height={CELL - 1.5}
                    rx={3}
                    fill="none"
                    stroke="var(--ink)"
                    strokeWidth={1.5}
                  />
                )}
              </g>
            );
          })}
        </svg>
      </ChartFrame>
      <p className="flex items-center gap-2 text-xs text-soft">
        1
        {STEPS.map((step) => (
          <i key={step} className="size-3 rounded-sm bg-[var(--lane-1)]" style={{ opacity: step }} />
        ))}
        {sayCount(most)} messages a day; a line through a day: closed for marketing
      </p>
      <AsTable name="Messages by day" rows={days} columns={columns} keyOf={({ day }) => day} />
    </div>
  );
}
