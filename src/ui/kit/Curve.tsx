'use client';

import { scaleLinear } from 'd3-scale';
import { area, curveStepAfter, line } from 'd3-shape';
import { useMemo } from 'react';
import { ChartFrame } from './ChartFrame';
import { percent } from './format';
import { useReading } from './useReading';

export interface CurveStep {
  readonly time: number;
  readonly back: number;
  readonly low: number;
  readonly high: number;
}
/** A curve: its name goes after a share, "have come back". */
export interface CurveLine {
  readonly name: string;
  readonly steps: readonly CurveStep[];
  /** for how long anybody was seen: there it ends */
  readonly until: number;
}

const W = 540;
const H = 220;
/** The picture shows so many steps of a curve at most. */
const MOST = 100;
/** Told apart without colours, too. */
const DASHES = ['', '7 3', '2 3'];
const NOTHING: CurveStep = { time: 0, back: 0, low: 0, high: 0 };

/** Which share something has happened to by when, each with the band in which it lies; read by pointing and by arrow keys. */
export function Curve({
  lines,
  span,
  ticks,
  say,
  about,
  axis,
  name,
  title,
}: {
  lines: readonly CurveLine[];
  /** how far the axis of time goes */
  span: number;
  ticks: readonly (readonly [number, string])[];
  say: (time: number) => string;
  about: string;
  axis: string;
  /** what a saved picture is called, and what stands over it */
  name: string;
  title: string;
}) {
  const thin = useMemo(
    () =>
      lines.map(({ name, steps, until }) => {
        const inside = steps.filter(({ time }) => time <= span);
        const every = Math.max(1, Math.ceil(inside.length / MOST));
        return { name, until: Math.min(span, until), steps: inside.filter((_, n) => n % every === 0 || n === inside.length - 1) };
      }),
    [lines, span],
  );
  const times = useMemo(() => {
    const all = [...new Set(thin.flatMap(({ steps }) => steps.map(({ time }) => time)))].sort((a, b) => a - b);
    const every = Math.max(1, Math.ceil(all.length / MOST));
    return all.filter((_, n) => n % every === 0 || n === all.length - 1);
  }, [thin]);
  const { at, read, keys } = useReading(times.length);
  const x = scaleLinear([0, span], [44, W - 12]);
  const y = scaleLinear([0, Math.max(0.02, ...thin.flatMap(({ steps }) => steps.map(({ high }) => high)))], [H - 34, 10]).nice(4);
  const time = at === null ? null : times[at]!;
  const by = (steps: readonly CurveStep[], until: number) => steps.findLast((step) => step.time <= until) ?? NOTHING;
  return (
    <>
      <div className="min-h-5 text-sm tabular" aria-live="polite">
        {time !== null ? (
          <>
            After <b>{say(time)}</b>{' '}
            {thin
              .filter(({ until }) => time <= until)
              .map(({ name, steps }) => {
                const { back, low, high } = by(steps, time);
                return `${percent(back)} ${name} (${percent(low)} to ${percent(high)})`;
              })
              .join('; ')}
          </>
        ) : (
          <span className="flex flex-wrap gap-x-4 text-soft">
            {about}
            {lines.length > 1 &&
              lines.map(({ name }, n) => (
                <span key={name} className="flex items-center gap-1.5">
                  <svg width={20} height={4} aria-hidden="true">
                    <line x2={20} y1={2} y2={2} stroke={`var(--lane-${n})`} strokeWidth={2} strokeDasharray={DASHES[n]} />
                  </svg>{' '}
                  {name}
                </span>
              ))}
          </span>
        )}
      </div>
      <ChartFrame name={name} title={title}>
        <svg width={W} height={H} role="img" aria-label={`${title}; arrow keys read it`} className="max-w-full" {...keys}>
          {y.ticks(4).map((tick) => (
            <g key={tick}>
              <line x1={44} x2={W - 12} y1={y(tick)} y2={y(tick)} stroke="var(--line)" strokeWidth={tick ? 0.5 : 1} />
              <text x={38} y={y(tick) + 4} textAnchor="end" fontSize={11} className="fill-soft tabular">
                {percent(tick)}
              </text>
            </g>
          ))}
          {ticks.map(([place, words]) => (
            <text key={place} x={x(place)} y={H - 18} textAnchor="middle" fontSize={11} className="fill-soft tabular">
              {words}
            </text>
          ))}
          <text x={W - 12} y={H - 4} textAnchor="end" fontSize={11} className="fill-soft">
            {axis}
          </text>
          {thin.map(({ name, steps, until }, n) => {
            if (!steps.length) return null;
            const all = [NOTHING, ...steps, { ...steps.at(-1)!, time: until }];
            const lane = `var(--lane-${n})`;
            return (
              <g key={name}>
                <path
                  d={
                    area<CurveStep>()
                      .x((step) => x(step.time))
                      .y0((step) => y(step.low))
                      .y1((step) => y(step.high))
                      .curve(curveStepAfter)(all) ?? ''
                  }
                  fill={lane}
                  opacity={0.15}
                />
                <path
                  d={
                    line<CurveStep>()
                      .x((step) => x(step.time))
                      .y((step) => y(step.back))
                      .curve(curveStepAfter)(all) ?? ''
                  }
                  fill="none"
                  stroke={lane}
                  strokeWidth={2}
                  strokeDasharray={DASHES[n]}
                />
              </g>
            );
          })}
          {times.map((one, n) => (
            <rect
              key={one}
              x={x(one) - 3}
              y={8}
              width={Math.max(6, x(times[n + 1] ?? span) - x(one))}
              height={H - 42}
              fill="transparent"
              onMouseEnter={() => read(n)}
            />
          ))}
          {time !== null &&
            thin.map(
              ({ name, steps, until }, n) =>
                time <= until && <circle key={name} cx={x(time)} cy={y(by(steps, time).back)} r={4} fill={`var(--lane-${n})`} />,
            )}
        </svg>
      </ChartFrame>
    </>
  );
}
