'use client';

import { useState, type KeyboardEvent } from 'react';

/**
 * Which place of a chart is being read, by the mouse over it or by the arrow keys while it has the focus; null while none
 * is. The keys come in from outside (right to the first place, left to the last), or step `from` the last place.
 */
export function useReading(count: number, from: 'start' | 'last' = 'start') {
  const [at, setAt] = useState<number | null>(null);
  const stop = () => setAt(null);
  return {
    at,
    read: (place: number) => setAt(place),
    /** for the picture as a whole */
    keys: {
      tabIndex: 0,
      onBlur: stop,
      onMouseLeave: stop,
      onKeyDown: (event: KeyboardEvent) => {
        if (event.key !== 'ArrowLeft' && event.key !== 'ArrowRight') return;
        event.preventDefault();
        const step = event.key === 'ArrowRight' ? 1 : -1;
        const outside = from === 'last' ? count - 1 : step > 0 ? -1 : count;
        setAt((now) => Math.max(0, Math.min(count - 1, (now ?? outside) + step)));
      },
    },
  };
}
