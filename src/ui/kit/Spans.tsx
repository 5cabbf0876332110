'use client';

import { scaleLinear } from 'd3-scale';
import { freeKey } from '@/core/flows';
import { ChartFrame } from './ChartFrame';
import { useReading } from './useReading';

/** A value with the interval in which it lies, on one line of the picture. */
export interface Span {
  readonly key: string;
  readonly name: string;
  readonly value: number;
  readonly low: number;
  readonly high: number;
  /** caused is outlined with its interval, counted is filled: they never look alike */
  readonly isCaused?: boolean;
}

const LEFT = 170;
const ROW = 34;
const WIDTH = 560;

/** Values with their intervals under one another on one scale; arrow keys and the mouse read them. */
export function Spans({
  label,
  axis,
  spans,
  say,
}: {
  label: string;
  axis: string;
  spans: readonly Span[];
  say: (value: number) => string;
}) {
  const { at, read, keys } = useReading(spans.length);
  const low = Math.min(0, ...spans.map((span) => span.low));
  const high = Math.max(...spans.map((span) => span.high), low + 1e-9);
  const x = scaleLinear([low, high], [LEFT, WIDTH - 40]).nice(5);
  const height = spans.length * ROW + 40;
  const shown = at === null ? null : spans[at];
  return (
    <div>
      <p className="h-5 text-sm tabular" aria-live="polite">
        {shown && (
          <>
            <b>{shown.name}</b>: {say(shown.value)} ({say(shown.low)} to {say(shown.high)})
          </>
        )}
      </p>
      <ChartFrame name={freeKey(label, [])} title={label}>
        <svg width={WIDTH} height={height} role="img" aria-label={`${label}; arrow keys read the values`} {...keys} className="max-w-full">
          {x.ticks(5).map((tick) => (
            <g key={tick}>
              <line x1={x(tick)} x2={x(tick)} y1={4} y2={height - 34} stroke="var(--line)" strokeWidth={tick === 0 ? 1.5 : 0.5} />
              <text x={x(tick)} y={height - 20} textAnchor="middle" fontSize={11} className="fill-soft tabular">
                {say(tick)}
              </text>
            </g>
          ))}
          <text x={WIDTH - 4} y={height - 5} textAnchor="end" fontSize={11} className="fill-soft">
            {axis}
          </text>
          {spans.map((span, row) => {
            const y = row * ROW + ROW / 2;
            return (
              <g key={span.key} onMouseEnter={() => read(row)}>
                <rect x={0} y={y - ROW / 2} width={WIDTH} height={ROW} fill={at === row ? 'var(--wash)' : 'transparent'} />
                <text x={LEFT - 10} y={y + 4} textAnchor="end" fontSize={12} className="fill-ink">
                  {span.name.length > 24 ? `${span.name.slice(0, 23)}…` : span.name}
                  <title>{span.name}</title>
                </text>
                <line x1={x(span.low)} x2={x(span.high)} y1={y} y2={y} stroke="var(--lane-0)" strokeWidth={2} />
                {[span.low, span.high].map((end, n) => (
                  <line key={n} x1={x(end)} x2={x(end)} y1={y - 5} y2={y + 5} stroke="var(--lane-0)" strokeWidth={2} />
                ))}
                <circle
                  cx={x(span.value)}
                  cy={y}
                  r={5}
                  fill={span.isCaused ? 'var(--panel)' : 'var(--lane-0)'}
                  stroke="var(--lane-0)"
                  strokeWidth={2}
                />
              </g>
            );
          })}
        </svg>
      </ChartFrame>
    </div>
  );
}
