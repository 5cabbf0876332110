'use client';

import { max } from 'd3-array';
import { useReading } from './useReading';

export interface Bar {
  readonly key: string;
  readonly value: number;
  /** read out, and shown while it is looked at: "Mon 3 Aug: 12 messages" */
  readonly says: string;
  /** below the bar, where it has one */
  readonly label?: string | undefined;
}

const [WIDTH, HEIGHT, BOTTOM] = [300, 92, 18];
/** How near to the end a label is written towards it. */
const LAST = 36;

/** Bars beside each other, read by the mouse or by arrow keys. Above them stands what is looked at, or else the sum in words. */
export function Bars({ bars, name, sum, colour = 'var(--lane-0)' }: { bars: readonly Bar[]; name: string; sum: string; colour?: string }) {
  const { at, read, keys } = useReading(bars.length);
  const most = max(bars, (one) => one.value) || 1;
  const width = WIDTH / Math.max(1, bars.length);
  const gap = Math.min(1, width / 4);
  return (
    <>
      <p className="min-h-5 tabular">{at === null ? sum : (bars[at]?.says ?? sum)}</p>
      <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} className="w-full" role="img" aria-label={`${name}; arrow keys read them`} {...keys}>
        {bars.map((one, index) => {
          const height = (one.value / most) * (HEIGHT - BOTTOM - 4);
          return (
            <g key={one.key}>
              <rect
                x={index * width + gap / 2}
                y={HEIGHT - BOTTOM - height}
                width={width - gap}
                height={height}
                fill={colour}
                opacity={at === null || at === index ? 1 : 0.45}
              />
              <rect x={index * width} y={0} width={width} height={HEIGHT - BOTTOM} fill="transparent" onMouseEnter={() => read(index)} />
              {one.label !== undefined && (
                <text
                  x={index * width > WIDTH - LAST ? WIDTH : index * width}
                  y={HEIGHT - 4}
                  textAnchor={index * width > WIDTH - LAST ? 'end' : 'start'}
                  fontSize={10}
                  className="fill-soft tabular"
                >
                  {one.label}
                </text>
              )}
            </g>
          );
        })}
        <line x1={0} x2={WIDTH} y1={HEIGHT - BOTTOM} y2={HEIGHT - BOTTOM} stroke="var(--line)" />
      </svg>
    </>
  );
}
