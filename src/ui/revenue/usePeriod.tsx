'use client';

import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { ClockView } from '@/core/api';
import { api, fieldClass } from '../kit';

const PERIODS = [
  ['7', 'Last 7 days'],
  ['30', 'Last 30 days'],
  ['90', 'Last 90 days'],
  ['180', 'Last 180 days'],
  ['365', 'Last year'],
] as const;

/** A period up to the store's present, and the field that chooses it; `query` is null until the clock is known. */
export function usePeriod(first = '90') {
  const [days, setDays] = useState(first);
  const clock = useQuery({ queryKey: ['clock'], queryFn: () => api<ClockView>('/clock') });
  return {
    days,
    error: clock.error,
    /** tries the clock again where it did not answer */
    retry: () => void clock.refetch(),
    query: clock.data
      ? `from=${encodeURIComponent(new Date(Math.floor(Date.parse(clock.data.now) / 60_000) * 60_000 - Number(days) * 86_400_000).toISOString())}`
      : null,
    field: (
      <select aria-label="Period" value={days} onChange={(event) => setDays(event.target.value)} className={`${fieldClass} w-40 shrink-0`}>
        {PERIODS.map(([key, name]) => (
          <option key={key} value={key}>
            {name}
          </option>
        ))}
      </select>
    ),
  };
}
