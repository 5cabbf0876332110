'use client';

import { createContext, useContext } from 'react';

/** What every screen knows of the store. */
export interface StoreInfo {
  readonly name: string;
  readonly zone: string;
  readonly currency: string;
  readonly isDemo: boolean;
}

const Context = createContext<StoreInfo | null>(null);
export const StoreProvider = Context.Provider;

export function useStore(): StoreInfo {
  const store = useContext(Context);
  if (!store) throw new Error('no store above this component');
  return store;
}
