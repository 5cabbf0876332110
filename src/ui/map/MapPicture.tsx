import type { FlowDocument } from '@/core/flows';
import { drawingOf } from './drawing';

/** Colours as they are printed: a picture that is taken along knows nothing of our styles. */
const INK = '#1F2328';
const SOFT = '#565B63';
const LINE = '#DDD8CC';
const LANES = ['#8B2635', '#3E5C76', '#B7791F', '#5B7553', '#6D597A', '#2A7F7F'] as const;
const colourOf = (lane: number) => LANES[lane % LANES.length]!;
const FONT = "Overpass, 'Overpass Variable', 'Helvetica Neue', Arial, sans-serif";
/** How wide a letter is about, in pixels at a size of 12. */
const LETTER = 6.3;

/** Words in lines no wider than that; what does not go into so many lines ends in dots. */
function wrapped(text: string, width: number, most: number): string[] {
  const room = Math.max(3, Math.floor(width / LETTER));
  const lines: string[] = [];
  for (const word of text.split(/\s+/).flatMap((one) => one.match(new RegExp(`.{1,${room}}`, 'gu')) ?? [])) {
    const last = lines.at(-1);
    if (last !== undefined && `${last} ${word}`.length <= room) lines[lines.length - 1] = `${last} ${word}`;
    else lines.push(word);
  }
  if (lines.length <= most) return lines;
  const kept = lines.slice(0, most);
  kept[most - 1] = `${kept[most - 1]!.slice(0, Math.max(1, room - 1))}…`;
  return kept;
}

/** A flow as one picture with all its words, to be printed or taken along as SVG. */
export function MapPicture({ document, width }: { document: FlowDocument; width: number }) {
  const drawing = drawingOf(document, { width, height: 300 });
  const bottom = drawing.rowY(drawing.map.rows - 1) + 64;
  return (
    <svg
      xmlns="http://www.w3.org/2000/svg"
      viewBox={`0 0 ${drawing.width} ${bottom}`}
      width="100%"
      fontFamily={FONT}
      fontSize={12}
      role="img"
      aria-label={`${document.name}, drawn against the time since entry`}
    >
      {drawing.ticks.map(({ at, x, says }) => (
        <g key={at}>
          <line x1={x} x2={x} y1={44} y2={bottom - 8} stroke={LINE} strokeDasharray={at === 0 ? undefined : '2 4'} />
          <text x={x} y={37} textAnchor="middle" fontSize={11} fill={SOFT}>
            {says}
          </text>
        </g>
      ))}
      {drawing.stretches.map(({ key, path, stretch }) => (
        <path
          key={key}
          d={path}
          fill="none"
          stroke={colourOf(stretch.lane)}
          strokeWidth={4}
          strokeLinecap="round"
          strokeDasharray={stretch.wait === 'trigger' ? '1 9' : stretch.isOpen ? '7 8' : undefined}
        />
      ))}
      {drawing.stretches.map(({ key, from, to, y, stretch, arm, wait }) => {
        const left = from.x + (y === from.y ? 18 : 32);
        return (
          <g key={key}>
            {arm &&
              wrapped(arm.name, to.x - left - 36, 2).map((line, n) => (
                <text key={n} x={left} y={y + 18 + n * 13} fontWeight={600} fill={colourOf(stretch.lane)}>
                  {line}
                </text>
              ))}
            {wait && (
              <text x={(from.x + to.x) / 2} y={y + (wait.isClear ? 21 : 50)} textAnchor="middle" fill={SOFT}>
                {wrapped(wait.length, to.x - from.x - 4, 1)[0]}
              </text>
            )}
          </g>
        );
      })}
      {drawing.stops.map(({ stop, x, y, name, moment }) => {
        const colour = colourOf(stop.lane);
        if (stop.kind === 'join') return <circle key={stop.id} cx={x} cy={y} r={4} fill="#fff" stroke={colour} strokeWidth={2} />;
        const lines = wrapped(name, drawing.column, 3);
        return (
          <g key={stop.id}>
            {stop.kind === 'branch' || stop.kind === 'test' || stop.kind === 'end' ? (
              <rect x={x - 12} y={y - 12} width={24} height={24} rx={4} fill="#fff" stroke={colour} strokeWidth={2.5} />
            ) : (
              <circle
                cx={x}
                cy={y}
                r={12}
                fill="#fff"
                stroke={colour}
                strokeWidth={2.5}
                strokeDasharray={stop.kind === 'idea' ? '3 3' : undefined}
              />
            )}
            {stop.kind === 'send' && (
              <path d={`M${x - 6} ${y - 4}h12v8h-12zl6 4.5 6-4.5`} fill="none" stroke={colour} strokeWidth={1.4} strokeLinejoin="round" />
            )}
            {lines.map((line, n) => (
              <text key={n} x={x} y={y - 21 - (lines.length - 1 - n) * 13} textAnchor="middle" fill={INK}>
                {line}
              </text>
            ))}
            {moment && (
              <text x={x} y={y + 30} textAnchor="middle" fontSize={11} fill={SOFT}>
                {moment}
              </text>
            )}
          </g>
        );
      })}
    </svg>
  );
}
