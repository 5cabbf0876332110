'use client';

import type { Broadcast } from '@/core/broadcasts';
import { addDuration, atClock, dayNumber, type Instant } from '@/core/time';
import { plural, sayShort, useStore } from '../kit';

interface Moment {
  readonly at: string;
  readonly says: string;
}

/** The moment of a broadcast by the clocks of a zone; null while what is typed is none. */
export function startOf(starts: string, zone: string): Instant | null {
  const day = dayNumber(starts.slice(0, 10));
  return day === null ? null : atClock(day, starts.slice(11), zone);
}

/** What happens one after another: when the first get it, when the others do, and when it goes out once more. */
function momentsOf({ when, pace, contents, trial, again }: Broadcast, zone: string): Moment[] {
  const begins = startOf(when.starts, zone);
  if (begins === null) return [];
  const found: Moment[] = [];
  const add = (at: Instant, says: string, about = '') => found.push({ at: `${about}${sayShort(at, zone)}`, says });
  const own = when.clocks ? ', each by their own clocks' : '';
  const tries = contents.length > 1 && trial !== null;
  const first = tries
    ? `${trial.share} % get one of ${plural(contents.length, 'message', 'messages')}`
    : contents.length > 1
      ? `all get one of ${contents.length} messages`
      : 'all get it';
  add(begins, `${first}${own}`);
  let last = begins;
  if (pace && 'over' in pace) {
    last = addDuration(begins, pace.over, zone);
    add(last, 'the last of them', 'up to ');
  } else if (pace) {
    last = addDuration(begins, 'P1D', zone);
    add(last, 'the last of them, at their own hours', 'up to ');
  }
  if (tries) {
    last = addDuration(last, trial.lasts, zone);
    add(last, trial.unsure === 'ask' ? 'the others get the best, or you choose' : 'the others get the best', 'about ');
  }
  if (again)
    add(addDuration(begins, again.after, zone), `once more, to those who have not ${again.unless} it`, tries || pace ? 'from ' : '');
  return found;
}

/** The moments of a broadcast along a line, in their order. */
export function Moments({ broadcast }: { broadcast: Broadcast }) {
  const { zone } = useStore();
  const moments = momentsOf(broadcast, zone);
  return (
    <ol aria-label="What happens when" className="flex items-start border-b border-line bg-paper px-4 py-2.5">
      {moments.map(({ at, says }, index) => (
        <li key={index} className="relative min-w-0 flex-1 pr-4">
          <span
            aria-hidden="true"
            className="absolute left-1.5 right-0 top-[7px] h-[3px] bg-accent last:hidden"
            hidden={index === moments.length - 1}
          />
          <span aria-hidden="true" className="relative block h-[17px] w-[17px] rounded-full border-[3px] border-accent bg-panel" />
          <span className="mt-1 block font-mono text-xs tabular">{at}</span>
          <span className="block text-xs text-soft">{says}</span>
        </li>
      ))}
    </ol>
  );
}
