'use client';

import { createContext, useContext } from 'react';
import { useQuery } from '@tanstack/react-query';
import type { ClockView } from '@/core/api';
import { api } from './api';

/** What every screen knows of the store. */
export interface StoreInfo {
  readonly name: string;
  readonly zone: string;
  readonly currency: string;
  /** in which it writes, the usual one first */
  readonly languages: readonly string[];
  readonly isDemo: boolean;
}

const Context = createContext<StoreInfo | null>(null);
export const StoreProvider = Context.Provider;

export function useStore(): StoreInfo {
  const store = useContext(Context);
  if (!store) throw new Error('no store above this component');
  return store;
}

/** Reads store time, which the demo may have moved ahead of the machine's: a function, as it goes on. */
export function useStoreTime(): () => number {
  const { data } = useQuery({ queryKey: ['clock'], queryFn: () => api<ClockView>('/clock'), staleTime: 30_000 });
  return () => Date.now() + (data?.offsetMs ?? 0);
}
