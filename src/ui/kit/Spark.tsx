import { max } from 'd3-array';
import { scaleLinear } from 'd3-scale';
import { line } from 'd3-shape';

/** A small line of values over days, from zero; its last value is marked. */
export function Spark({
  values,
  label,
  say,
  width = 120,
  height = 28,
}: {
  values: readonly number[];
  label: string;
  say: (value: number) => string;
  width?: number;
  height?: number;
}) {
  const top = max(values) ?? 0;
  const x = scaleLinear([0, Math.max(1, values.length - 1)], [2, width - 3]);
  const y = scaleLinear([0, top || 1], [height - 2, 3]);
  const points = values.map((value, index): [number, number] => [x(index), y(value)]);
  const last = points.at(-1);
  return (
    <svg width={width} height={height} role="img" aria-label={`${label}: highest ${say(top)}, last ${say(values.at(-1) ?? 0)}`}>
      <title>{`Highest day ${say(top)}, last day ${say(values.at(-1) ?? 0)}`}</title>
      <line x1={0} x2={width} y1={height - 2} y2={height - 2} stroke="var(--line)" />
      <path d={line()(points) ?? ''} fill="none" stroke="var(--lane-1)" strokeWidth={1.5} />
      {last && <circle cx={last[0]} cy={last[1]} r={2.5} fill="var(--lane-1)" />}
    </svg>
  );
}
