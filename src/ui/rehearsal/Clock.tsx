'use client';

import { ChevronFirst, ChevronLast, ChevronLeft, ChevronRight } from 'lucide-react';
import { bend, unbend } from '@/core/flows';
import { sayElapsed } from '@/core/time';
import { isoOf, sayMoment, useStore } from '../kit';

const STEPS = 2000;

/** The clock of a rehearsal: dragged, stepped from one thing that happens to the next, or run to the end. Its scale is bent like that of the map. */
export function Clock({
  now,
  at,
  moments,
  onChange,
}: {
  /** the moment at which the rehearsal begins */
  now: number;
  at: number;
  /** when something happens, ascending */
  moments: readonly number[];
  onChange: (at: number) => void;
}) {
  const { zone } = useStore();
  const last = Math.max(now + 60_000, moments.at(-1) ?? now);
  const span = bend(last - now);
  const placeOf = (moment: number) => Math.round((bend(moment - now) / span) * STEPS);
  const says = `${sayMoment(isoOf(at), zone)}, ${at > now ? `${sayElapsed(at - now)} after the beginning` : 'the beginning'}`;
  const before = moments.findLast((one) => one < at);
  const after = moments.find((one) => one > at);
  return (
    <div role="group" aria-label="Clock" className="flex items-center gap-2 border-t border-line px-3 py-2">
      <Step name="To the beginning" isOff={at <= now} onClick={() => onChange(now)}>
        <ChevronFirst size={16} aria-hidden="true" />
      </Step>
      <Step name="To what happened before" isOff={before === undefined} onClick={() => onChange(before!)}>
        <ChevronLeft size={16} aria-hidden="true" />
      </Step>
      <Step name="To what happens next" isOff={after === undefined} onClick={() => onChange(after!)}>
        <ChevronRight size={16} aria-hidden="true" />
      </Step>
      <Step name="To the end" isOff={at >= last} onClick={() => onChange(last)}>
        <ChevronLast size={16} aria-hidden="true" />
      </Step>
      <div className="relative min-w-0 flex-1">
        <div className="pointer-events-none absolute inset-x-2 top-1/2" aria-hidden="true">
          {moments.map((one) => (
            <span key={one} className="absolute h-2.5 w-px -translate-y-1/2 bg-soft" style={{ left: `${(placeOf(one) / STEPS) * 100}%` }} />
          ))}
        </div>
        <input
          type="range"
          min={0}
          max={STEPS}
          value={placeOf(at)}
          aria-label="Time of the rehearsal"
          aria-valuetext={says}
          onChange={(event) => onChange(Math.min(last, now + unbend((Number(event.target.value) / STEPS) * span)))}
          className="relative w-full accent-[var(--accent)]"
        />
      </div>
      <p className="w-[218px] text-right font-mono text-xs" aria-live="polite" data-testid="rehearsal-clock">
        {says}
      </p>
    </div>
  );
}

const Step = ({ name, isOff, onClick, children }: { name: string; isOff: boolean; onClick: () => void; children: React.ReactNode }) => (
  <button
    type="button"
    aria-label={name}
    title={name}
    disabled={isOff}
    onClick={onClick}
    className="grid size-8 shrink-0 place-items-center rounded-md border border-line hover:bg-wash disabled:opacity-40"
  >
    {children}
  </button>
);
