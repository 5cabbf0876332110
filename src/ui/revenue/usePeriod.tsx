'use client';

import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { ClockView } from '@/core/api';
import { localDate } from '@/core/time';
import { api, fieldClass, useStore } from '../kit';

const PERIODS = [
  ['7', 'Last 7 days'],
  ['30', 'Last 30 days'],
  ['90', 'Last 90 days'],
  ['180', 'Last 180 days'],
  ['365', 'Last year'],
] as const;
const OWN = 'own';
const DAY_MS = 86_400_000;

/** From which day to which, both of them in it. */
export interface OwnPeriod {
  readonly from: string;
  readonly to: string;
}

const daysOf = ({ from, to }: OwnPeriod): number => Math.round((Date.parse(to) - Date.parse(from)) / DAY_MS) + 1;

/** A period up to the store's present, or between two days of one's own, and the fields that choose it; `query` is null until the clock is known. */
export function usePeriod(first = '90') {
  const { zone } = useStore();
  const [chosen, setChosen] = useState(first);
  const [own, setOwn] = useState<OwnPeriod | null>(null);
  const clock = useQuery({ queryKey: ['clock'], queryFn: () => api<ClockView>('/clock') });
  const now = clock.data ? Math.floor(Date.parse(clock.data.now) / 60_000) * 60_000 : null;
  const rolling = now === null ? null : `from=${encodeURIComponent(new Date(now - Number(chosen) * DAY_MS).toISOString())}`;
  const query = own ? `from=${own.from}&to=${own.to}` : rolling;
  return {
    days: own ? String(daysOf(own)) : chosen,
    own,
    /** sets it to days of one's own; null goes back to what was chosen before */
    setOwn,
    error: clock.error,
    /** tries the clock again where it did not answer */
    retry: () => void clock.refetch(),
    query,
    /** stands for it among the keys of what was asked for: a period up to the present is another each day */
    key: own ? query : `${chosen} ${rolling?.slice(0, 21)}`,
    field: (
      <span className="flex shrink-0 items-center gap-2">
        {own && (
          <>
            <input
              type="date"
              aria-label="From"
              required
              max={own.to}
              value={own.from}
              onChange={({ target }) => target.validity.valid && setOwn({ ...own, from: target.value })}
              className={`${fieldClass} w-36`}
            />
            <input
              type="date"
              aria-label="To"
              required
              min={own.from}
              max={now === null ? undefined : localDate(now, zone)}
              value={own.to}
              onChange={({ target }) => target.validity.valid && setOwn({ ...own, to: target.value })}
              className={`${fieldClass} w-36`}
            />
          </>
        )}
        <select
          aria-label="Period"
          value={own ? OWN : chosen}
          onChange={({ target }) => {
            if (target.value !== OWN) {
              setChosen(target.value);
              setOwn(null);
            } else if (now !== null) setOwn({ from: localDate(now - Number(chosen) * DAY_MS, zone), to: localDate(now, zone) });
          }}
          className={`${fieldClass} w-40`}
        >
          {PERIODS.map(([key, name]) => (
            <option key={key} value={key}>
              {name}
            </option>
          ))}
          <option value={OWN}>Days of my own</option>
        </select>
      </span>
    ),
  };
}
