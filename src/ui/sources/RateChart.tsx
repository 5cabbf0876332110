'use client';

import { max } from 'd3-array';
import { scaleLinear } from 'd3-scale';
import { useMemo } from 'react';
import { AsTable, isoOf, sayCount, sayTime, type TableColumn, useReading } from '../kit';

interface Minute {
  readonly minute: string;
  readonly accepted: number;
  readonly duplicates: number;
  readonly rejected: number;
}

const [WIDTH, HEIGHT, LEFT, BOTTOM] = [386, 140, 36, 32];

interface Bar {
  readonly at: number;
  readonly accepted: number;
  readonly rejected: number;
}

const columnsOf = (zone: string): TableColumn<Bar>[] => [
  { key: 'minute', name: 'Minute', value: (bar) => isoOf(bar.at), show: (bar) => sayTime(bar.at, zone).slice(0, 5) },
  { key: 'accepted', name: 'Taken in', isNumber: true, value: (bar) => bar.accepted },
  { key: 'rejected', name: 'Rejected', isNumber: true, value: (bar) => bar.rejected },
];

/** Events per minute over the last hour: taken in, with the rejected on top; values on hover, by arrow keys and as a table. */
export function RateChart({ minutes, now, zone }: { minutes: readonly Minute[]; now: number; zone: string }) {
  const { at, read, keys } = useReading(60);
  const end = Math.floor(now / 60_000);
  const known = new Map(minutes.map((one) => [Math.floor(Date.parse(one.minute) / 60_000), one]));
  const columns = useMemo(() => columnsOf(zone), [zone]);
  const bars: Bar[] = Array.from({ length: 60 }, (_, i) => ({
    at: (end - 59 + i) * 60_000,
    accepted: known.get(end - 59 + i)?.accepted ?? 0,
    rejected: known.get(end - 59 + i)?.rejected ?? 0,
  }));
  const top = Math.max(4, max(bars, (bar) => bar.accepted + bar.rejected) ?? 0);
  const y = scaleLinear([0, top], [HEIGHT - BOTTOM, 16]).nice(3);
  const step = (WIDTH - LEFT) / 60;
  const shown = at === null ? null : bars[at];
  return (
    <div>
      <p className="flex h-5 gap-4 text-sm tabular">
        {shown ? (
          <span>
            <b>{sayTime(shown.at, zone).slice(0, 5)}</b>: {sayCount(shown.accepted)} taken in, {sayCount(shown.rejected)} rejected
          </span>
        ) : (
          <>
            <span className="flex items-center gap-1.5">
              <i className="size-2.5 bg-[var(--lane-1)]" />
              events taken in per minute
            </span>
            <span className="flex items-center gap-1.5">
              <i className="size-2.5 bg-stop" />
              rejected
            </span>
          </>
        )}
      </p>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="w-full"
        role="img"
        aria-label="Events per minute over the last hour; arrow keys read the minutes"
        {...keys}
      >
        {y
          .ticks(3)
          .filter(Number.isInteger)
          .map((tick) => (
            <g key={tick}>
              <line x1={LEFT} x2={WIDTH} y1={y(tick)} y2={y(tick)} stroke="var(--line)" strokeWidth={tick ? 0.5 : 1} />
              <text x={LEFT - 6} y={y(tick) + 4} textAnchor="end" fontSize={11} className="fill-soft tabular">
                {sayCount(tick)}
              </text>
            </g>
          ))}
        {bars.map((bar, index) => (
          <g key={bar.at} onMouseEnter={() => read(index)}>
            <rect x={LEFT + index * step} y={0} width={step} height={HEIGHT - BOTTOM} fill={at === index ? 'var(--wash)' : 'transparent'} />
            <rect x={LEFT + index * step + 1} y={y(bar.accepted)} width={step - 2} height={y(0) - y(bar.accepted)} fill="var(--lane-1)" />
            <rect
              x={LEFT + index * step + 1}
              y={y(bar.accepted + bar.rejected)}
              width={step - 2}
              height={y(bar.accepted) - y(bar.accepted + bar.rejected)}
              fill="var(--stop)"
            />
            {index % 15 === 14 && (
              <text
                x={LEFT + index * step + (index === 59 ? step : step / 2)}
                y={HEIGHT - BOTTOM + 14}
                textAnchor={index === 59 ? 'end' : 'middle'}
                fontSize={11}
                className="fill-soft tabular"
              >
                {sayTime(bar.at, zone).slice(0, 5)}
              </text>
            )}
          </g>
        ))}
        <text x={WIDTH} y={HEIGHT - 2} textAnchor="end" fontSize={11} className="fill-soft">
          Time of arrival
        </text>
      </svg>
      <AsTable
        name="Events by minute"
        rows={bars.filter((bar) => bar.accepted || bar.rejected)}
        columns={columns}
        keyOf={(bar) => String(bar.at)}
      />
    </div>
  );
}
