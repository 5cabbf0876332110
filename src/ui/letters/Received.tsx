'use client';

import { clsx } from 'clsx';
import { useEffect, useRef, useState } from 'react';
import type { RenderView, TellingPerson } from '@/core/api';
import { atNight, byDay } from '@/core/letters';
import { CUT_AT_BYTES } from '@/core/messages';
import { fieldClass } from '../kit';
import { Finding } from './Findings';

type Look = { readonly width: 600 | 360; readonly night: boolean; readonly asText: boolean };

/** The letter as somebody gets it: as wide or as narrow, by day or by night, as it is shown or as plain text. */
export function Received({
  people,
  who,
  onWho,
  received,
  isLate,
  problem,
}: {
  people: readonly TellingPerson[];
  who: string;
  onWho: (id: string) => void;
  received: RenderView | undefined;
  isLate: boolean;
  problem: string | null;
}) {
  const [look, setLook] = useState<Look>({ width: 600, night: false, asText: false });
  const pane = useRef<HTMLDivElement>(null);
  const [room, setRoom] = useState(540);
  useEffect(() => {
    const seen = new ResizeObserver(([entry]) => setRoom(entry!.contentRect.width));
    seen.observe(pane.current!);
    return () => seen.disconnect();
  }, []);
  const scale = Math.min(1, room / look.width);
  const general = received?.problems.filter((one) => one.block === undefined && one.field === undefined) ?? [];
  const choice = (name: string, isOn: boolean, onClick: () => void) => (
    <button
      type="button"
      aria-pressed={isOn}
      onClick={onClick}
      className={clsx('h-8 px-2 first:rounded-l-[5px] last:rounded-r-[5px]', isOn ? 'bg-ink text-paper' : 'hover:bg-wash')}
    >
      {name}
    </button>
  );
  return (
    <section aria-label="As it is received" className="flex min-w-0 flex-1 flex-col border-l border-line bg-wash">
      <div className="flex flex-wrap items-center gap-2 border-b border-line bg-panel px-3 py-2">
        <label className="flex min-w-0 flex-1 items-center gap-2">
          <span className="text-soft">As</span>
          <select
            aria-label="As whom"
            value={who}
            onChange={(event) => onWho(event.target.value)}
            className={`${fieldClass} min-w-0 flex-1`}
          >
            {people.map((one) => (
              <option key={one.id} value={one.id}>
                {one.name} ({one.tells})
              </option>
            ))}
            <option value="">somebody of whom nothing is known</option>
          </select>
        </label>
        <div className="flex rounded-md border border-line" role="group" aria-label="How wide">
          {choice('Wide', look.width === 600 && !look.asText, () => setLook({ ...look, width: 600, asText: false }))}
          {choice('Narrow', look.width === 360 && !look.asText, () => setLook({ ...look, width: 360, asText: false }))}
          {choice('Text', look.asText, () => setLook({ ...look, asText: true }))}
        </div>
        <div className="flex rounded-md border border-line" role="group" aria-label="By day or by night">
          {choice('Day', !look.night, () => setLook({ ...look, night: false }))}
          {choice('Night', look.night, () => setLook({ ...look, night: true }))}
        </div>
      </div>
      <div className="border-b border-line bg-panel px-3 py-2" aria-busy={isLate} data-testid="received-head">
        <p className="truncate font-semibold" title={received?.subject}>
          {received?.subject || <span className="font-normal text-soft">No subject yet</span>}
        </p>
        <p className="truncate text-xs text-soft" title={received?.preview}>
          {received?.preview || 'No preview line: most inboxes show the first words of the letter'}
        </p>
      </div>
      {(problem !== null || general.length > 0) && (
        <ul className="grid gap-1 border-b border-line bg-panel px-3 py-2 text-xs">
          {problem !== null && (
            <li role="alert" className="text-stop">
              {problem}
            </li>
          )}
          {general.map((one) => (
            <Finding key={one.code + one.says} one={one} />
          ))}
        </ul>
      )}
      <div ref={pane} className="min-h-0 flex-1 overflow-hidden px-2">
        {look.asText ? (
          <pre
            data-testid="as-text"
            className="h-full overflow-auto whitespace-pre-wrap break-words bg-panel p-4 font-mono text-xs"
            tabIndex={0}
            aria-label="The letter as plain text"
          >
            {received?.text}
          </pre>
        ) : (
          <div className="mx-auto h-full" style={{ width: look.width * scale }}>
            <iframe
              title="The letter"
              sandbox=""
              srcDoc={received ? (look.night ? atNight(received.html) : byDay(received.html)) : ''}
              style={{ width: look.width, height: `${100 / scale}%`, transform: `scale(${scale})`, transformOrigin: '0 0' }}
              className="border-0 bg-white"
            />
          </div>
        )}
      </div>
      <p className="border-t border-line bg-panel px-3 py-1 text-xs text-soft tabular">
        {received
          ? `${Math.ceil(received.bytes / 1024)} kB of the ${CUT_AT_BYTES / 1024} kB at which mail programs commonly cut`
          : 'Putting it together…'}
      </p>
    </section>
  );
}
