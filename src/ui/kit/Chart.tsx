'use client';

import { useState, type KeyboardEvent } from 'react';
import { Table, type Sorting, type TableColumn } from './Table';

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

/** What a chart shows, as a table that is opened below it. */
export function AsTable<Item extends object>({
  name,
  rows,
  columns,
  keyOf,
  first,
}: {
  name: string;
  rows: readonly Item[];
  columns: readonly TableColumn<Item>[];
  keyOf: (item: Item) => string;
  first?: Sorting;
}) {
  const [isOpen, setOpen] = useState(false);
  return (
    <details className="mt-1 text-sm" onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary className="text-accent">The same as a table</summary>
      <div className="max-h-64 overflow-auto">
        {isOpen && <Table name={name} rows={rows} columns={columns} keyOf={keyOf} first={first} />}
      </div>
    </details>
  );
}
