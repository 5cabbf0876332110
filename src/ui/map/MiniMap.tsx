import { axis, layout, type FlowDocument } from '@/core/flows';
import { laneColour } from './marks';

const [WIDTH, GAP, ROW, EDGE] = [230, 12, 14, 8] as const;

/** A flow as a small picture: its lanes against time, messages as filled dots. */
export function MiniMap({ document }: { document: FlowDocument }) {
  const map = layout(document);
  const scale = axis(map, WIDTH - 2 * EDGE, GAP);
  const width = Math.max(WIDTH, scale.width + 2 * EDGE);
  const height = 2 * EDGE + (map.rows - 1) * ROW;
  const byId = new Map(map.stops.map((stop) => [stop.id, { x: EDGE + scale.x(stop.at, stop.rank), y: EDGE + stop.row * ROW, stop }]));
  return (
    <svg viewBox={`0 0 ${width} ${height}`} width={WIDTH} height={(height * WIDTH) / width} className="max-w-full" aria-hidden="true">
      {map.stretches.map(({ from, to, row, lane, isOpen, wait }) => {
        const [a, b] = [byId.get(from)!, byId.get(to)!];
        const y = EDGE + row * ROW;
        const turn = Math.min(GAP / 2, (b.x - a.x) / 2);
        return (
          <path
            key={`${from}>${to}>${lane}`}
            d={`M${a.x} ${a.y}L${a.x + turn} ${y}L${b.x - turn} ${y}L${b.x} ${b.y}`}
            fill="none"
            stroke={laneColour(lane)}
            strokeWidth={2}
            strokeLinejoin="round"
            strokeDasharray={wait === 'trigger' ? '1 3' : isOpen ? '4 3' : undefined}
          />
        );
      })}
      {[...byId.values()].map(({ x, y, stop }) =>
        stop.kind === 'join' ? null : (
          <circle
            key={stop.id}
            cx={x}
            cy={y}
            r={stop.kind === 'send' ? 3.5 : 2.5}
            fill={stop.kind === 'send' ? laneColour(stop.lane) : 'var(--panel)'}
            stroke={laneColour(stop.lane)}
            strokeWidth={1.5}
          />
        ),
      )}
    </svg>
  );
}
