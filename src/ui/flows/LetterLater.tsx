'use client';

import dynamic from 'next/dynamic';

/** The letter of a step on the whole screen, loaded when one is opened. */
export const LetterLayer = dynamic(() => import('./LetterLayer'), {
  loading: () => <p className="flex-1 bg-panel p-4 text-soft">Loading…</p>,
  ssr: false,
});
