'use client';

import { clsx } from 'clsx';
import { memo } from 'react';
import { targetOf, WAITS_AT, type Drawing, type PlacedStretch } from './drawing';
import { laneColour } from './marks';

/** The lines of the map with the ticks above them. */
export const Lines = memo(function Lines({
  drawing,
  widths,
  lit,
}: {
  drawing: Drawing;
  widths: ReadonlyMap<string, number> | undefined;
  lit: ReadonlySet<string> | undefined;
}) {
  const { ticks, stretches, parcels, width, height } = drawing;
  return (
    <svg width={width} height={height} className="absolute inset-0" aria-hidden="true">
      {ticks.map((tick) => (
        <g key={tick.at}>
          <line x1={tick.x} x2={tick.x} y1={44} y2={height - 12} stroke="var(--line)" strokeDasharray={tick.at === 0 ? undefined : '2 4'} />
          <text x={tick.x} y={37} textAnchor="middle" className="fill-soft font-mono" fontSize={11} data-text="tick">
            {tick.says}
          </text>
        </g>
      ))}
      {parcels.map((parcel) => (
        <g key={parcel.x}>
          <path d={`M${parcel.x - 30} 47h8v8h-8zM${parcel.x - 26} 47v8`} fill="none" stroke="var(--soft)" />
          <text x={parcel.x - 18} y={55} className="fill-soft" fontSize={11} data-text="parcel">
            {parcel.says}
          </text>
        </g>
      ))}
      {stretches.map(({ key, stretch, path }) => (
        <path
          key={key}
          d={path}
          fill="none"
          stroke={laneColour(stretch.lane)}
          strokeWidth={widths?.get(key) ?? 4}
          strokeLinecap="round"
          strokeDasharray={stretch.wait === 'trigger' ? '1 9' : stretch.isOpen ? '7 8' : undefined}
          opacity={lit && !lit.has(key) ? 0.3 : undefined}
        />
      ))}
    </svg>
  );
});

/** The length of a wait, below its stretch, no wider than that. */
export const WaitLabel = memo(function WaitLabel({
  placed: { stretch, from, to, y, wait },
  isSelected,
  isChosen,
  isTroubled,
  isFocus,
  badge,
}: {
  placed: PlacedStretch;
  isSelected: boolean;
  isChosen: boolean;
  isTroubled: boolean;
  isFocus: boolean;
  badge: string | undefined;
}) {
  if (!wait) return null;
  // what asks and waits is one step, which has its own stop
  const isOwn = stretch.wait !== stretch.from;
  return (
    <button
      type="button"
      data-select={targetOf(wait.id)}
      data-stop={isOwn && wait.id !== 'trigger' ? wait.id : undefined}
      data-text="wait"
      aria-label={wait.says}
      title={wait.says}
      tabIndex={isFocus && isOwn && wait.id !== 'trigger' ? 0 : -1}
      className={clsx(
        'absolute -translate-x-1/2 truncate rounded-md border bg-panel px-1.5 text-xs leading-[18px] tabular',
        isSelected ? 'border-accent font-semibold text-accent' : 'border-line text-soft hover:text-ink',
        isChosen && 'outline outline-2 outline-accent',
        isTroubled && 'border-caution',
      )}
      style={{ left: (from.x + to.x) / 2, top: y + (wait.isClear ? 8 : WAITS_AT), maxWidth: to.x - from.x - 6 }}
    >
      {wait.length}
      {badge && <span className="block truncate font-semibold text-ink">{badge}</span>}
    </button>
  );
});

/** The name of an arm where its lane begins, in the room before its first stop. */
export const ArmLabel = memo(function ArmLabel({
  placed: { stretch, from, to, y, arm },
  more,
  isPale,
  column,
}: {
  placed: PlacedStretch;
  /** the width of the texts at a stop */
  column: number;
  more: string | undefined;
  isPale: boolean;
}) {
  if (!arm) return null;
  const left = from.x + (y === from.y ? 18 : 32);
  return (
    <span
      data-text="arm"
      title={arm.name}
      className="pointer-events-none absolute text-xs font-semibold leading-[14px]"
      style={{
        left,
        top: y + 7,
        width: Math.max(0, to.x - left - column / 2 - 2),
        color: isPale ? 'var(--soft)' : laneColour(stretch.lane),
      }}
    >
      <span className={clsx('block [overflow-wrap:anywhere]', more ? 'truncate' : 'line-clamp-2')}>{arm.name}</span>
      {more && <span className="block truncate font-normal tabular text-ink">{more}</span>}
    </span>
  );
});
