'use client';

import { max } from 'd3-array';
import { brushX, type D3BrushEvent } from 'd3-brush';
import { scaleBand, scaleLinear } from 'd3-scale';
import { select } from 'd3-selection';
import { useEffect, useMemo, useRef, useState, type PointerEvent, type ReactNode } from 'react';
import type { Grain } from '@/core/revenue';
import { sayMoney, toMajor } from '@/core/money';
import { AsTable, ChartFrame, sayCalendarDay, sayCalendarMonth, type TableColumn, useReading } from '../kit';
import type { OwnPeriod } from './usePeriod';

interface Day {
  readonly day: string;
  readonly takings: number;
  readonly credited: number;
}

const HEIGHT = 230;
const LEFT = 64;
const BOTTOM = 36;

/** How a day, week or month is called, in short and as it is read. */
const SAY: {
  readonly [grain in Grain]: { readonly column: string; readonly short: (day: string) => string; readonly long: (day: string) => string };
} = {
  day: { column: 'Day', short: sayCalendarDay, long: sayCalendarDay },
  week: { column: 'Week of', short: sayCalendarDay, long: (day) => `Week of ${sayCalendarDay(day)}` },
  month: { column: 'Month', short: sayCalendarMonth, long: sayCalendarMonth },
};
const columnsOf = (currency: string, grain: Grain): TableColumn<Day>[] => [
  { key: 'day', name: SAY[grain].column, value: (day) => day.day, show: (day) => SAY[grain].short(day.day) },
  ...(['takings', 'credited'] as const).map((key) => ({
    key,
    name: key === 'takings' ? 'Taken' : 'Credited',
    isNumber: true,
    unit: currency,
    value: (day: Day) => toMajor({ currency, minor: day[key] }),
    show: (day: Day) => sayMoney({ currency, minor: day[key] }),
  })),
];

/** The days from the first bar to the last, both of them in it. */
function daysBetween(days: readonly Day[], first: number, last: number, end: string): OwnPeriod {
  const next = days[last + 1]?.day;
  return {
    from: days[first]!.day,
    to: next ? new Date(Date.parse(next) - 86_400_000).toISOString().slice(0, 10) : end,
  };
}

/** Takings over time as bars with the credited part filled; values by pointing and by arrow keys, and as a table; pulling over some zooms. */
export function DayChart({
  days,
  grain,
  currency,
  end,
  field,
  onZoom,
}: {
  days: readonly Day[];
  grain: Grain;
  currency: string;
  /** the last day of the period */
  end: string;
  /** chooses how coarse it is */
  field?: ReactNode;
  /** where pulling over some days chooses them */
  onZoom?: (period: OwnPeriod) => void;
}) {
  const frame = useRef<HTMLDivElement>(null);
  const brush = useRef<SVGGElement>(null);
  const [width, setWidth] = useState(800);
  const canZoom = onZoom !== undefined;
  const { at, read, keys } = useReading(days.length);
  const columns = useMemo(() => columnsOf(currency, grain), [currency, grain]);
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
  const placeOf = (left: number) => Math.max(0, Math.min(days.length - 1, Math.floor((left - x(days[0]!.day)!) / x.step())));
  const zoom = useRef<(from: number, to: number) => void>(() => {});
  useEffect(() => {
    zoom.current = (from, to) => onZoom?.(daysBetween(days, placeOf(from), placeOf(to), end));
  });
  useEffect(() => {
    if (!brush.current || !canZoom) return;
    const own = select(brush.current);
    const pulled = brushX<unknown>()
      .extent([
        [LEFT, 0],
        [width - 4, HEIGHT - BOTTOM],
      ])
      .on('end', ({ selection, sourceEvent }: D3BrushEvent<unknown>) => {
        if (!selection || !sourceEvent) return;
        own.call(pulled.clear);
        zoom.current(Number(selection[0]), Number(selection[1]));
      });
    own.call(pulled);
  }, [width, canZoom]);
  const short = new Intl.NumberFormat('en-IE', { style: 'currency', currency, notation: 'compact' });
  const every = Math.max(1, Math.ceil(days.length / 10));
  const shown = at === null ? null : days[at];

  return (
    <div ref={frame}>
      <div className="mb-1 flex min-h-8 items-center gap-4 text-sm">
        {shown ? (
          <span className="tabular">
            <b>{SAY[grain].long(shown.day)}</b>: taken {say(shown.takings)}, credited {say(shown.credited)}
          </span>
        ) : (
          <>
            <span className="flex items-center gap-1.5">
              <i className="size-2.5 bg-[var(--line)]" />
              Taken per {grain}, {currency}
            </span>
            <span className="flex items-center gap-1.5">
              <i className="size-2.5 bg-[var(--lane-0)]" />
              of it credited to messages
            </span>
          </>
        )}
        <span className="flex-1" />
        {field}
      </div>
      <ChartFrame name={`revenue-by-${grain}`} title={`Taken per ${grain}, and of it credited to messages, ${currency}`}>
        <svg
          width={width}
          height={HEIGHT}
          role="img"
          aria-label={`Takings and credited revenue by ${grain} in ${currency}; arrow keys read them${canZoom ? ', pulling over some shows only those' : ''}`}
          onPointerMove={(event: PointerEvent<SVGSVGElement>) => {
            const left = event.clientX - event.currentTarget.getBoundingClientRect().left;
            if (left >= LEFT) read(placeOf(left));
          }}
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
            <g key={day.day}>
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
                  {SAY[grain].short(day.day)}
                </text>
              )}
            </g>
          ))}
          <text x={width - 4} y={HEIGHT - 4} textAnchor="end" fontSize={11} className="fill-soft">
            {`${grain[0]!.toUpperCase()}${grain.slice(1)} of the order`}
          </text>
          <g ref={brush} data-aim="" />
        </svg>
      </ChartFrame>
      <AsTable name="Revenue by day" rows={days} columns={columns} keyOf={(day) => day.day} />
    </div>
  );
}
