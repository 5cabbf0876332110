'use client';

import { max } from 'd3-array';
import { scaleBand, scaleLinear } from 'd3-scale';
import { useEffect, useMemo, useRef, useState } from 'react';
import { sayMoney, toMajor } from '@/core/money';
import { AsTable, sayCalendarDay, type TableColumn, useReading } from '../kit';

interface Day {
  readonly day: string;
  readonly takings: number;
  readonly credited: number;
}

const HEIGHT = 230;
const LEFT = 64;
const BOTTOM = 36;

/** Takings by day as bars with the credited part filled; values on hover and by arrow keys, and as a table. */
const columnsOf = (currency: string): TableColumn<Day>[] => [
  { key: 'day', name: 'Day', value: (day) => day.day, show: (day) => sayCalendarDay(day.day) },
  ...(['takings', 'credited'] as const).map((key) => ({
    key,
    name: key === 'takings' ? 'Taken' : 'Credited',
    isNumber: true,
    unit: currency,
    value: (day: Day) => toMajor({ currency, minor: day[key] }),
    show: (day: Day) => sayMoney({ currency, minor: day[key] }),
  })),
];

export function DayChart({ days, currency }: { days: readonly Day[]; currency: string }) {
  const frame = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(800);
  const { at, read, keys } = useReading(days.length);
  const columns = useMemo(() => columnsOf(currency), [currency]);
  useEffect(() => {
    const observer = new ResizeObserver(([entry]) => entry && setWidth(entry.contentRect.width));
    if (frame.current) observer.observe(frame.current);
    return () => observer.disconnect();
  }, []);
  const say = (minor: number) => sayMoney({ currency, minor });
  const x = scaleBand(
    days.map((day) => day.day),
    [LEFT, width - 4],
  ).paddingInner(0.25);
  const y = scaleLinear([0, max(days, (day) => day.takings) || 1], [HEIGHT - BOTTOM, 22]).nice(4);
  const short = new Intl.NumberFormat('en-IE', { style: 'currency', currency, notation: 'compact' });
  const every = Math.max(1, Math.ceil(days.length / 10));
  const shown = at === null ? null : days[at];

  return (
    <div ref={frame}>
      <p className="mb-1 flex h-5 gap-4 text-sm">
        {shown ? (
          <span className="tabular">
            <b>{sayCalendarDay(shown.day)}</b>: taken {say(shown.takings)}, credited {say(shown.credited)}
          </span>
        ) : (
          <>
            <span className="flex items-center gap-1.5">
              <i className="size-2.5 bg-[var(--line)]" />
              Taken per day, {currency}
            </span>
            <span className="flex items-center gap-1.5">
              <i className="size-2.5 bg-[var(--lane-0)]" />
              of it credited to messages
            </span>
          </>
        )}
      </p>
      <svg
        width={width}
        height={HEIGHT}
        role="img"
        aria-label={`Takings and credited revenue by day in ${currency}; arrow keys read the days`}
        {...keys}
      >
        {y.ticks(4).map((tick) => (
          <g key={tick}>
            <line x1={LEFT} x2={width} y1={y(tick)} y2={y(tick)} stroke="var(--line)" strokeWidth={tick === 0 ? 1 : 0.5} />
            <text x={LEFT - 8} y={y(tick) + 4} textAnchor="end" fontSize={11} className="fill-soft tabular">
              {short.format(toMajor({ currency, minor: tick }))}
            </text>
          </g>
        ))}
        {days.map((day, index) => (
          <g key={day.day} onMouseEnter={() => read(index)}>
            <rect
              x={x(day.day)! - x.step() * 0.125}
              y={0}
              width={x.step()}
              height={HEIGHT - BOTTOM}
              fill={at === index ? 'var(--wash)' : 'transparent'}
            />
            <rect x={x(day.day)} y={y(day.takings)} width={x.bandwidth()} height={y(0) - y(day.takings)} fill="var(--line)" />
            <rect x={x(day.day)} y={y(day.credited)} width={x.bandwidth()} height={y(0) - y(day.credited)} fill="var(--lane-0)" />
            {index % every === 0 && (
              <text x={x(day.day)! + x.bandwidth() / 2} y={HEIGHT - BOTTOM + 16} textAnchor="middle" fontSize={11} className="fill-soft">
                {sayCalendarDay(day.day)}
              </text>
            )}
          </g>
        ))}
        <text x={width - 4} y={HEIGHT - 4} textAnchor="end" fontSize={11} className="fill-soft">
          Day of the order
        </text>
      </svg>
      <AsTable name="Revenue by day" rows={days} columns={columns} keyOf={(day) => day.day} />
    </div>
  );
}
