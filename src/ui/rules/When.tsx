'use client';

import { clsx } from 'clsx';
import { type Hours as HoursOf, type Since } from '@/core/rules';
import { localDate } from '@/core/time';
import { useStore, useStoreTime } from '../kit';
import type { Catalogue } from './compared';
import { EventWord, Off, without } from './parts';
import { Day, DurationWord, PickWord } from './words';

const SINCE = [
  ['ever', 'ever'],
  ['last', 'in the last'],
  ['ago', 'more than'],
  ['dates', 'on days from'],
  ['after', 'since they last'],
] as const;
type SinceKind = (typeof SINCE)[number][0] | 'entry' | 'start';

const kindOfSince = (since: Since): SinceKind =>
  typeof since === 'string' ? since : 'last' in since ? 'last' : 'ago' in since ? 'ago' : 'after' in since ? 'after' : 'dates';
const durationOf = (since: Since): string =>
  typeof since !== 'object' ? 'P30D' : 'last' in since ? since.last : 'ago' in since ? since.ago : 'P30D';

/** When it has to have happened. */
export function When({
  since,
  isInFlow,
  known,
  onChange,
}: {
  since: Since;
  isInFlow: boolean;
  /** the events after which it may have been; without them that is not asked */
  known?: Catalogue;
  onChange: (since: Since, field: string) => void;
}) {
  const { zone } = useStore();
  const now = useStoreTime();
  const kind = kindOfSince(since);
  const set = (next: SinceKind) => {
    const today = localDate(now(), zone);
    const duration = durationOf(since);
    const of: { readonly [kind in SinceKind]: Since } = {
      ever: 'ever',
      entry: 'entry',
      start: 'start',
      last: { last: duration },
      ago: { ago: duration },
      dates: { from: today, to: today },
      after: { after: { event: 'order.placed' } },
    };
    onChange(of[next], 'since');
  };
  const options: (readonly [SinceKind, string])[] = SINCE.filter(([one]) => one !== 'after' || known !== undefined || kind === 'after');
  if (isInFlow || kind === 'entry' || kind === 'start') options.push(['entry', 'since entering'], ['start', 'up to what started the flow']);
  return (
    <>
      <PickWord label="When" value={kind} options={options} onChange={set} />
      {typeof since === 'object' && 'last' in since && (
        <>
          {' '}
          <DurationWord label="How long" value={since.last} onChange={(last) => onChange({ last }, 'since.last')} />
        </>
      )}
      {typeof since === 'object' && 'ago' in since && (
        <>
          {' '}
          <DurationWord label="How long" value={since.ago} onChange={(ago) => onChange({ ago }, 'since.ago')} /> ago
        </>
      )}
      {typeof since === 'object' && 'after' in since && known && (
        <>
          {' '}
          <EventWord
            label="Since what"
            type={since.after.event}
            known={known}
            onChange={(event) => onChange({ after: { event } }, 'since.event')}
          />
        </>
      )}
      {typeof since === 'object' && kind === 'dates' && <Days since={since as { from?: string; to?: string }} onChange={onChange} />}
    </>
  );
}

function Days({ since, onChange }: { since: { from?: string; to?: string }; onChange: (since: Since, field: string) => void }) {
  return (
    <>
      {' '}
      <Day label="First day" value={since.from} onChange={(from) => onChange({ ...since, from }, 'since.from')} /> to{' '}
      <Day label="Last day" value={since.to} onChange={(to) => onChange({ ...since, to }, 'since.to')} />
    </>
  );
}

export const NEW_HOURS: HoursOf = { weekdays: [1, 2, 3, 4, 5] };
const WEEKDAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'] as const;

/** At which times of the week. */
export function Hours({
  hours,
  isAlways = false,
  onChange,
}: {
  hours: HoursOf;
  /** cannot be taken out */
  isAlways?: boolean;
  onChange: (hours: HoursOf | null) => void;
}) {
  const { weekdays = [], from, to } = hours;
  const put = (next: HoursOf) => onChange(next.weekdays?.length || next.from !== undefined ? next : null);
  const flip = (day: number) => {
    const days = weekdays.includes(day) ? weekdays.filter((one) => one !== day) : [...weekdays, day].sort((a, b) => a - b);
    put(days.length ? { ...hours, weekdays: days } : without(hours, 'weekdays'));
  };
  const clock = (label: string, value: string, set: (value: string) => void) => (
    <input
      type="time"
      aria-label={label}
      value={value}
      onChange={(event) => event.target.value && set(event.target.value)}
      className="h-5 rounded-sm border-b border-dashed border-accent bg-transparent font-semibold leading-5"
    />
  );
  return (
    <>
      {' '}
      on{' '}
      <span role="group" aria-label="Days of the week">
        {WEEKDAYS.map((name, index) => (
          <button
            key={name}
            type="button"
            aria-pressed={weekdays.includes(index + 1)}
            onClick={() => flip(index + 1)}
            className={clsx(
              'mr-1 rounded-sm px-1 text-xs',
              weekdays.includes(index + 1) ? 'bg-wash font-semibold text-ink underline decoration-accent decoration-2' : 'text-soft',
            )}
          >
            {name}
          </button>
        ))}
      </span>
      {from === undefined || to === undefined ? (
        <Off says="between hours …" onClick={() => put({ ...hours, from: '09:00', to: '17:00' })} />
      ) : (
        <>
          between {clock('From', from, (next) => put({ ...hours, from: next }))} and{' '}
          {clock('To', to, (next) => put({ ...hours, to: next }))}{' '}
          <Off says="at any hour" onClick={() => put(without(without(hours, 'from'), 'to'))} />
        </>
      )}{' '}
      {!isAlways && <Off says="at any time" onClick={() => onChange(null)} />}
    </>
  );
}
