'use client';

import { max, min } from 'd3-array';
import { scaleLinear, scalePoint } from 'd3-scale';
import { area, line } from 'd3-shape';
import { AsTable, plural, sayCalendarDay, sayCount, type TableColumn, useReading } from '../kit';

/** A day: how many there were at its end, and who came and went. */
export interface Day {
  readonly day: string;
  readonly joined: number;
  readonly left: number;
  readonly people: number;
}

const columnsOf = (where: string): TableColumn<Day>[] => [
  { key: 'day', name: 'Day', value: (day) => day.day, show: (day) => sayCalendarDay(day.day) },
  { key: 'joined', name: 'Joined', isNumber: true, value: (day) => day.joined },
  { key: 'left', name: 'Left', isNumber: true, value: (day) => day.left },
  { key: 'people', name: where[0]!.toUpperCase() + where.slice(1), isNumber: true, value: (day) => day.people },
];

const [WIDTH, HEIGHT, LEFT, BOTTOM] = [720, 260, 52, 34];

/** How many were on a list or in a segment at the end of each day; values on hover, by arrow keys and as a table. */
export function Growth({ days, where }: { days: readonly Day[]; where: 'on the list' | 'in the segment' }) {
  const columns = columnsOf(where);
  const { at, read, keys } = useReading(days.length, 'last');
  const x = scalePoint(
    days.map((day) => day.day),
    [LEFT, WIDTH - 8],
  );
  const low = min(days, (day) => day.people) ?? 0;
  const high = max(days, (day) => day.people) ?? 0;
  const y = scaleLinear([low < high / 2 ? 0 : low, Math.max(high, low + 4)], [HEIGHT - BOTTOM, 16]).nice(4);
  const points = days.map((day): [number, number] => [x(day.day)!, y(day.people)]);
  const base = y(y.domain()[0]!);
  const shown = at === null ? days.at(-1) : days[at];
  const joined = days.reduce((sum, day) => sum + day.joined, 0);
  const left = days.reduce((sum, day) => sum + day.left, 0);
  return (
    <div>
      <p className="h-5 text-sm tabular">
        {shown && (
          <>
            <b>{sayCalendarDay(shown.day)}</b>: {plural(shown.people, 'person', 'people')} {where}, {sayCount(shown.joined)} joined,{' '}
            {sayCount(shown.left)} left
          </>
        )}
        <span className="ml-4 text-soft">
          In {plural(days.length, 'day', 'days')} {sayCount(joined)} joined and {sayCount(left)} left.
        </span>
      </p>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="w-full"
        role="img"
        aria-label={`People ${where} at the end of each day; arrow keys read the days`}
        {...keys}
      >
        {y
          .ticks(4)
          .filter(Number.isInteger)
          .map((tick) => (
            <g key={tick}>
              <line x1={LEFT} x2={WIDTH - 8} y1={y(tick)} y2={y(tick)} stroke="var(--line)" strokeWidth={0.5} />
              <text x={LEFT - 8} y={y(tick) + 4} textAnchor="end" fontSize={11} className="fill-soft tabular">
                {sayCount(tick)}
              </text>
            </g>
          ))}
        <path
          d={
            area<[number, number]>()
              .x((p) => p[0])
              .y0(base)
              .y1((p) => p[1])(points) ?? ''
          }
          fill="var(--lane-1)"
          opacity={0.14}
        />
        <path d={line()(points) ?? ''} fill="none" stroke="var(--lane-1)" strokeWidth={2} />
        {days.map((day, index) => (
          <g key={day.day}>
            <rect
              x={x(day.day)! - x.step() / 2}
              y={0}
              width={x.step()}
              height={HEIGHT - BOTTOM}
              fill="transparent"
              onMouseEnter={() => read(index)}
            />
            {index % 15 === 0 && (
              <text
                x={x(day.day)}
                y={HEIGHT - BOTTOM + 16}
                textAnchor={index === 0 ? 'start' : 'middle'}
                fontSize={11}
                className="fill-soft"
              >
                {sayCalendarDay(day.day)}
              </text>
            )}
            {(at === index || days.length === 1) && <circle cx={x(day.day)} cy={y(day.people)} r={4} fill="var(--lane-1)" />}
          </g>
        ))}
        <text x={LEFT} y={10} fontSize={11} className="fill-soft">
          People {where}
        </text>
        <text x={WIDTH - 8} y={HEIGHT - 4} textAnchor="end" fontSize={11} className="fill-soft">
          End of the day
        </text>
      </svg>
      <AsTable name="Growth by day" rows={days} columns={columns} keyOf={(day) => day.day} first={{ column: 'day', isDown: true }} />
    </div>
  );
}
