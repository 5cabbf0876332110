'use client';

import dynamic from 'next/dynamic';

/** The desk for one letter, loaded as it is opened. */
export const LetterDesk = dynamic(() => import('./LetterDesk').then((room) => room.LetterDesk), {
  loading: () => <p className="fixed inset-0 z-50 bg-panel p-8 text-soft">Loading…</p>,
  ssr: false,
});
