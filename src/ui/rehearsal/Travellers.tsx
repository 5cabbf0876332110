'use client';

import type { Rehearsed } from '@/core/rehearsal';
import type { Drawing } from '../map';
import { whereaboutsAt } from './whereabouts';

/** How near to each other people are to share one sign, in pixels. */
const TOGETHER = 14;
const MOVES = 'motion-safe:transition-[left,top] motion-safe:duration-150';

/** People as signs that move along the map; those at the same place share one. */
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
  const groups: { x: number; y: number; who: { id: string; name: string; number: number }[] }[] = [];
  people.forEach(({ id, name, came }, index) => {
    for (const run of came?.runs ?? []) {
      const place = whereaboutsAt(run, drawing, at);
      if (!place) continue;
      const group = groups.find((one) => Math.abs(one.x - place.x) < TOGETHER && Math.abs(one.y - place.y) < TOGETHER);
      const one = { id, name, number: index + 1 };
      if (!group) groups.push({ x: place.x, y: place.y, who: [one] });
      else if (!group.who.some((other) => other.id === id)) group.who.push(one);
    }
  });
  return groups.map(({ x, y, who }) => (
    <span
      key={who.map(({ id }) => id).join()}
      title={who.map(({ name }) => name).join(', ')}
      className={`pointer-events-none absolute z-10 flex -translate-x-1/2 -translate-y-1/2 rounded-full border-2 border-panel bg-soft ${MOVES}`}
      style={{ left: x, top: y }}
    >
      {who.map(({ id, number }) => (
        <span
          key={id}
          data-traveller={id}
          className={`grid size-[18px] place-items-center rounded-full text-[11px] font-bold leading-none text-paper ${id === shown ? 'bg-ink' : ''}`}
        >
          {number}
        </span>
      ))}
    </span>
  ));
}
