'use client';

import { Plus } from 'lucide-react';
import { useEffect, useState, type RefObject } from 'react';
import type { Aim, Spot } from './aim';
import type { Drawing } from './drawing';
import { laneColour } from './marks';

/** What hovers over the map: the sign that puts something in, or a stop that is dragged. */
export type GhostOf = { readonly kind: 'add'; readonly spot: Spot } | { readonly kind: 'drag'; readonly id: string; readonly aim: Aim };

/** Drawn by itself, so that following the pointer draws nothing else anew. */
export function Ghost({
  drawing,
  register,
  onAdd,
}: {
  drawing: Drawing;
  register: RefObject<((ghost: GhostOf | null) => void) | null>;
  onAdd: (spot: Spot) => void;
}) {
  const [ghost, setGhost] = useState<GhostOf | null>(null);
  useEffect(() => {
    register.current = setGhost;
    return () => {
      register.current = null;
    };
  }, [register]);
  // a changed flow has other places
  useEffect(() => setGhost(null), [drawing]);
  if (!ghost) return null;
  if (ghost.kind === 'add') {
    const { spot } = ghost;
    return (
      <>
        <button
          type="button"
          data-adds="true"
          aria-label={`Add here, ${spot.says}`}
          onClick={(event) => {
            event.stopPropagation();
            onAdd(spot);
          }}
          className="absolute grid size-5 -translate-x-1/2 -translate-y-1/2 place-items-center rounded-full bg-accent text-on-accent"
          style={{ left: spot.x, top: spot.y }}
        >
          <Plus size={14} aria-hidden="true" />
        </button>
        <Tip x={spot.x} y={spot.y} says={spot.says} />
      </>
    );
  }
  const { aim, id } = ghost;
  const from = drawing.byId.get(id);
  if (!from) return null;
  const at = aim.kind === 'move' ? { x: aim.spot.x, y: aim.spot.y } : { x: aim.x, y: aim.y };
  return (
    <>
      {aim.kind === 'wait' && (
        <span
          className="pointer-events-none absolute w-px bg-accent"
          style={{ left: aim.x, top: 44, height: Math.max(0, from.y - 44) }}
          aria-hidden="true"
        />
      )}
      <span
        className="pointer-events-none absolute size-7 -translate-x-1/2 -translate-y-1/2 rounded-full border-[2.5px] bg-panel opacity-90"
        style={{ left: at.x, top: at.y, borderColor: aim.kind === 'none' ? 'var(--soft)' : laneColour(from.stop.lane) }}
        aria-hidden="true"
      />
      <Tip
        x={at.x}
        y={at.y}
        says={aim.kind === 'wait' ? `${aim.says}, ${aim.moment}` : aim.kind === 'move' ? `To here, ${aim.spot.says}` : aim.says}
      />
    </>
  );
}

const Tip = ({ x, y, says }: { x: number; y: number; says: string }) => (
  <span
    role="status"
    className="pointer-events-none absolute z-10 -translate-x-1/2 whitespace-nowrap rounded-md bg-ink px-1.5 font-mono text-[11px] leading-[18px] text-paper"
    style={{ left: x, top: y - 36 }}
  >
    {says}
  </span>
);
