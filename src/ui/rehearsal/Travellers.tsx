'use client';

import type { Rehearsed } from '@/core/rehearsal';
import type { Drawing } from '../map';
import { whereaboutsAt } from './whereabouts';

/** People as signs that move along the map; two at the same place stand one above the other. */
export function Travellers({
  drawing,
  people,
  at,
  shown,
}: {
  drawing: Drawing;
  people: readonly { readonly id: string; readonly name: string; readonly came: Rehearsed | undefined }[];
  at: number;
  shown: string;
}) {
  const taken = new Map<string, number>();
  return people.map(({ id, name, came }, index) => {
    const places = (came?.runs ?? []).flatMap((run) => whereaboutsAt(run, drawing, at) ?? []);
    return places.map((place, n) => {
      const spot = `${Math.round(place.x / 12)}/${Math.round(place.y)}`;
      const above = taken.get(spot) ?? 0;
      taken.set(spot, above + 1);
      return (
        <span
          key={`${id}-${n}`}
          data-traveller={id}
          title={name}
          className={`pointer-events-none absolute z-10 grid size-5 -translate-x-1/2 -translate-y-1/2 place-items-center rounded-full border-2 border-panel text-[11px] font-bold leading-none ${
            id === shown ? 'bg-ink text-paper' : 'bg-soft text-paper'
          } motion-safe:transition-[left,top] motion-safe:duration-150`}
          style={{ left: place.x, top: place.y - 4 - above * 9 }}
        >
          {index + 1}
        </span>
      );
    });
  });
}
