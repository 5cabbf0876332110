'use client';

import { clsx } from 'clsx';
import { memo } from 'react';
import { targetOf, type PlacedStop } from './drawing';
import type { FigureLine } from './layer';
import { laneColour, StopIcon } from './marks';

/** One stop with its name above and its moment, or what the lens says of it, below. Drawn anew only when something of it changes. */
export const MapStop = memo(function MapStop({
  placed: { stop, x, y, name, moment },
  height,
  column,
  figuresAt,
  label,
  isSelected,
  isChosen,
  isOff,
  isTroubled,
  isChanged,
  isPale,
  isFocus,
  canDrag,
  lines,
  badge,
}: {
  placed: PlacedStop;
  /** of the whole map: names stand on its floor */
  height: number;
  /** the width of its texts, and where its figures begin below the line */
  column: number;
  figuresAt: number;
  label: string;
  isSelected: boolean;
  isChosen: boolean;
  isOff: boolean;
  isTroubled: boolean;
  /** whether it is other than in the version that is on */
  isChanged: boolean;
  isPale: boolean;
  /** whether Tab comes to it */
  isFocus: boolean;
  canDrag: boolean;
  lines: readonly FigureLine[] | undefined;
  badge: string | undefined;
}) {
  const colour = laneColour(stop.lane);
  if (stop.kind === 'join')
    return (
      <span
        className={clsx('absolute size-2.5 -translate-x-1/2 -translate-y-1/2 rounded-full border-2 bg-panel', isPale && 'opacity-40')}
        style={{ left: x, top: y, borderColor: colour }}
      />
    );
  return (
    <>
      <button
        type="button"
        data-stop={stop.id}
        tabIndex={isFocus ? 0 : -1}
        aria-label={label}
        title={name}
        aria-current={isSelected ? 'true' : undefined}
        className={clsx(
          'absolute grid size-7 -translate-x-1/2 -translate-y-1/2 touch-none place-items-center border-[2.5px]',
          stop.kind === 'end' ? 'rounded-[3px]' : stop.kind === 'branch' || stop.kind === 'test' ? 'rounded-md' : 'rounded-full',
          isSelected ? 'text-on-accent' : isChosen ? 'bg-wash' : 'bg-panel',
          isChosen && 'outline outline-2 outline-offset-2 outline-accent',
          isOff && 'opacity-70',
          canDrag && 'cursor-grab',
        )}
        style={{
          left: x,
          top: y,
          borderColor: isTroubled ? 'var(--caution)' : colour,
          color: isSelected ? undefined : colour,
          background: isSelected ? colour : undefined,
          opacity: isPale ? 0.4 : undefined,
        }}
      >
        <StopIcon kind={stop.kind} isOff={isOff} />
      </button>
      {isChanged && (
        <span
          title="Changed, not published"
          className="pointer-events-none absolute size-2.5 rounded-full border-2 border-panel bg-caution"
          style={{ left: x + 8, top: y - 17 }}
        />
      )}
      <span
        data-text={`name of ${targetOf(stop.id)}`}
        className={clsx(
          'pointer-events-none absolute line-clamp-3 -translate-x-1/2 text-center text-xs leading-[14px] [overflow-wrap:anywhere]',
          isSelected && 'font-semibold',
          isPale && 'text-soft',
        )}
        style={{ left: x, bottom: height - y + 19, width: column }}
      >
        {name}
      </span>
      {badge ? (
        <b
          data-text="badge"
          className="pointer-events-none absolute -translate-x-1/2 truncate rounded-md bg-ink px-1.5 text-xs leading-[18px] text-paper tabular"
          style={{ left: x, top: y + 17, maxWidth: column }}
        >
          {badge}
        </b>
      ) : (
        moment && (
          <span
            data-text="moment"
            className="pointer-events-none absolute -translate-x-1/2 truncate text-center font-mono text-[11px] leading-[14px] text-soft"
            style={{ left: x, top: y + 19, maxWidth: column }}
          >
            {moment}
          </span>
        )
      )}
      {lines && lines.length > 0 && (
        <span
          data-text="figures"
          className="pointer-events-none absolute grid -translate-x-1/2 text-center text-xs leading-[15px] tabular"
          style={{ left: x, top: y + figuresAt, width: column }}
        >
          {lines.map((line, index) => (
            <span
              key={index}
              title={line.text}
              className={clsx('block truncate', line.tone === 'strong' && 'font-bold', line.tone === 'soft' && 'text-soft')}
            >
              {line.text}
            </span>
          ))}
        </span>
      )}
    </>
  );
});
