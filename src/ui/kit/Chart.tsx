'use client';

import { useState } from 'react';
import { Table, type Sorting, type TableColumn } from './Table';

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
