'use client';

import { max } from 'd3-array';
import { scaleBand, scaleLinear } from 'd3-scale';
import type { OfferReport } from '@/core/api';
import { AsTable, plural, sayCalendarDay, sayCount, type TableColumn, useReading } from '../kit';

type Day = OfferReport['days'][number];

const [WIDTH, HEIGHT, LEFT, BOTTOM] = [720, 240, 44, 32];

const COLUMNS: TableColumn<Day>[] = [
  { key: 'day', name: 'Day', value: (day) => day.day, show: (day) => sayCalendarDay(day.day) },
  { key: 'issued', name: 'Issued', isNumber: true, value: (day) => day.issued },
  { key: 'used', name: 'Used', isNumber: true, value: (day) => day.used },
  { key: 'expired', name: 'Expired unused', isNumber: true, value: (day) => day.expired },
];

/** Every day from the first that is told of to the last. */
function filled(days: readonly Day[]): Day[] {
  const known = new Map(days.map((day) => [day.day, day]));
  const all: Day[] = [];
  const last = days.at(-1)!.day;
  for (let at = new Date(`${days[0]!.day}T12:00:00Z`); ; at = new Date(at.getTime() + 86_400_000)) {
    const day = at.toISOString().slice(0, 10);
    if (day > last) return all;
    all.push(known.get(day) ?? { day, issued: 0, used: 0, expired: 0 });
  }
}

/** The lives of an offer's codes by day: issued above the line, how they ended below it; values on hover, by arrow keys and as a table. */
export function Lives({ days: given }: { days: readonly Day[] }) {
  const days = filled(given);
  const { at, read, keys } = useReading(days.length, 'last');
  const x = scaleBand(
    days.map((day) => day.day),
    [LEFT, WIDTH - 4],
  ).paddingInner(days.length > 40 ? 0.15 : 0.3);
  const up = max(days, (day) => day.issued) || 1;
  const down = max(days, (day) => day.used + day.expired) || 1;
  const y = scaleLinear([-down, up], [HEIGHT - BOTTOM, 18]).nice(5);
  const shown = at === null ? null : days[at];
  const sum = (key: 'issued' | 'used' | 'expired') => days.reduce((total, day) => total + day[key], 0);
  const every = Math.max(1, Math.ceil(days.length / 7));
  return (
    <div>
      <p className="min-h-5 text-sm tabular">
        {shown ? (
          <>
            <b>{sayCalendarDay(shown.day)}</b>: {sayCount(shown.issued)} issued, {sayCount(shown.used)} used, {sayCount(shown.expired)}{' '}
            expired unused
          </>
        ) : (
          <span className="flex flex-wrap gap-x-4">
            <Mark colour="var(--lane-0)">
              {sayCount(sum('issued'))} issued in {plural(days.length, 'day', 'days')}
            </Mark>
            <Mark colour="var(--lane-3)">{sayCount(sum('used'))} used</Mark>
            <Mark colour="var(--line)">{sayCount(sum('expired'))} expired unused</Mark>
          </span>
        )}
      </p>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="w-full"
        role="img"
        aria-label="Codes issued, used and expired by day; arrow keys read the days"
        {...keys}
      >
        {y
          .ticks(5)
          .filter(Number.isInteger)
          .map((tick) => (
            <g key={tick}>
              <line x1={LEFT} x2={WIDTH - 4} y1={y(tick)} y2={y(tick)} stroke="var(--line)" strokeWidth={tick === 0 ? 1.2 : 0.5} />
              <text x={LEFT - 6} y={y(tick) + 4} textAnchor="end" fontSize={11} className="fill-soft tabular">
                {sayCount(Math.abs(tick))}
              </text>
            </g>
          ))}
        {days.map((day, index) => (
          <g key={day.day} opacity={at === null || at === index ? 1 : 0.45}>
            <rect x={x(day.day)} y={y(day.issued)} width={x.bandwidth()} height={y(0) - y(day.issued)} fill="var(--lane-0)" />
            <rect x={x(day.day)} y={y(0)} width={x.bandwidth()} height={y(-day.used) - y(0)} fill="var(--lane-3)" />
            <rect
              x={x(day.day)}
              y={y(-day.used)}
              width={x.bandwidth()}
              height={y(-day.used - day.expired) - y(-day.used)}
              fill="var(--line)"
            />
            <rect
              x={x(day.day)! - (x.step() - x.bandwidth()) / 2}
              y={0}
              width={x.step()}
              height={HEIGHT - BOTTOM}
              fill="transparent"
              onMouseEnter={() => read(index)}
            />
            {index % every === 0 && index < days.length - every / 2 && (
              <text x={x(day.day)} y={HEIGHT - BOTTOM + 16} fontSize={11} className="fill-soft">
                {sayCalendarDay(day.day)}
              </text>
            )}
          </g>
        ))}
        <text x={LEFT} y={10} fontSize={11} className="fill-soft">
          Codes issued a day
        </text>
        <text x={LEFT} y={HEIGHT - 2} fontSize={11} className="fill-soft">
          Below the line: used, and expired unused
        </text>
      </svg>
      <AsTable name="Codes by day" rows={days} columns={COLUMNS} keyOf={(day) => day.day} first={{ column: 'day', isDown: true }} />
    </div>
  );
}

function Mark({ colour, children }: { colour: string; children: React.ReactNode }) {
  return (
    <span className="flex items-center gap-1.5">
      <i className="size-2.5" style={{ background: colour }} />
      {children}
    </span>
  );
}
