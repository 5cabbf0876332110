'use client';

import {
  createExpandedRowModel,
  createSortedRowModel,
  rowExpandingFeature,
  columnVisibilityFeature,
  rowSortingFeature,
  tableFeatures,
  useTable,
  type Row,
} from '@tanstack/react-table';
import { elementScroll, observeElementOffset, useVirtualizer, type Virtualizer } from '@tanstack/react-virtual';
import { clsx } from 'clsx';
import { ArrowDown, ArrowUp, Ellipsis } from 'lucide-react';
import { useRouter } from 'next/navigation';
import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type MouseEvent, type ReactNode } from 'react';
import { asCsv, compareValues, type Value } from './cells';
import { Drop } from './Drop';
import { Button } from './form';
import { plural, sayCount } from './format';
import { saveAs } from './saveAs';
import { barOf } from './tall';

export interface TableColumn<Item> {
  readonly key: string;
  /** its head; a column of acts has a name that only a screen reader says */
  readonly name: string;
  readonly isActs?: boolean;
  /** what the table is sorted by and what stands in a file; without it, neither */
  readonly value?: (item: Item) => Value;
  /** what is shown, where that is not the value itself, numbers with their thousands set apart */
  readonly show?: (item: Item) => ReactNode;
  /** what its numbers count, said over the column of a file: EUR */
  readonly unit?: string;
  /** right-aligned, under one another, sorted from the largest */
  readonly isNumber?: boolean;
  readonly className?: string;
  /** share of the width, so that tables one below another have their columns under one another; all columns have one, or none */
  readonly width?: number;
}

/** Rows that are fetched as they come into view, sorted by who has them all. */
export interface FarRows<Item> {
  readonly count: number;
  /** the row, or nothing while it is on its way */
  readonly at: (index: number) => Item | undefined;
  readonly onView: (first: number, last: number) => void;
  readonly sorting: Sorting;
  readonly onSort: (sorting: Sorting) => void;
  /** pixels */
  readonly height: number;
}
export interface Sorting {
  readonly column: string;
  readonly isDown: boolean;
}

const features = tableFeatures({
  rowSortingFeature,
  columnVisibilityFeature,
  rowExpandingFeature,
  sortedRowModel: createSortedRowModel(),
  expandedRowModel: createExpandedRowModel(),
});
const ACTIVE = 'a, button, input, select, textarea, label, summary, [role="menuitem"]';
/** Rows beyond this many are drawn only where they are in view. */
const MANY = 150;

/** Which columns somebody has put away in the table of this name, kept by the browser. */
function useHidden(name: string) {
  const place = `viatic.columns.${name}`;
  const [hidden, setHidden] = useState<Record<string, boolean>>({});
  useEffect(() => {
    try {
      setHidden(JSON.parse(localStorage.getItem(place) ?? '{}') as Record<string, boolean>);
    } catch {
      // what cannot be read is as if it had never been kept
    }
  }, [place]);
  const put = (next: Record<string, boolean>) => {
    setHidden(next);
    try {
      localStorage.setItem(place, JSON.stringify(next));
    } catch {
      // a browser that keeps nothing shows every column the next time
    }
  };
  return [hidden, put] as const;
}

/**
 * The one table. It is sorted by the head of any column that has a value; columns are chosen and its rows saved as CSV in the
 * menu at its end; arrow keys walk, Enter opens, Space chooses. Many rows are drawn only where they are in view.
 */
export function Table<Item extends object>({
  name,
  rows,
  far,
  columns,
  keyOf,
  hrefOf,
  partsOf,
  first,
  chosen,
  head,
  rowClass,
  isPlain,
  className,
}: {
  /** what stands in it: names the table, its file, and what is remembered of it */
  name: string;
  rows?: readonly Item[];
  far?: FarRows<Item>;
  columns: readonly TableColumn<Item>[];
  keyOf: (item: Item) => string;
  /** where a row leads */
  hrefOf?: (item: Item) => string;
  /** rows that belong under a row */
  partsOf?: (item: Item) => readonly Item[] | undefined;
  /** the order at first; that of the rows when it is left out */
  first?: Sorting;
  /** where rows can be chosen: a column of boxes goes before the others, with `head` over it */
  chosen?: { is: (item: Item) => boolean; toggle: (item: Item) => void; say: (item: Item) => string };
  head?: ReactNode;
  rowClass?: (item: Item, depth: number) => string | undefined;
  /** nothing to sort, choose or save: rows that are a part of something larger */
  isPlain?: boolean;
  className?: string;
}) {
  const router = useRouter();
  const scroller = useRef<HTMLDivElement>(null);
  const [active, setActive] = useState(0);
  const [hidden, setHidden] = useHidden(name);

  // in a far table the bar may stand for more pixels than an element can have
  const count = far ? far.count : (rows ?? []).reduce((sum, item) => sum + 1 + (partsOf?.(item)?.length ?? 0), 0);
  const isFixed = Boolean(far) || columns.every((column) => column.width !== undefined);
  const isMany = Boolean(far) || (count > MANY && !isPlain);
  const full = far ? count * far.height : 0;
  const bar = () => barOf(full, scroller.current?.clientHeight ?? 600);
  const virtual = useVirtualizer<HTMLDivElement, HTMLTableRowElement>({
    count: isMany ? count : 0,
    getScrollElement: () => scroller.current,
    estimateSize: () => far?.height ?? 40,
    overscan: 6,
    initialRect: { width: 800, height: 600 },
    observeElementOffset: (instance, seen) => observeElementOffset(instance, (top, isMoving) => seen(far ? bar().at(top) : top, isMoving)),
    scrollToFn: (at, options, instance: Virtualizer<HTMLDivElement, HTMLTableRowElement>) =>
      elementScroll(far ? bar().top(at) : at, options, instance),
  });
  const inView = isMany ? virtual.getVirtualItems() : [];
  const [from, to] = [inView[0]?.index ?? 0, (inView.at(-1)?.index ?? -1) + 1];
  const onView = far?.onView;
  useEffect(() => {
    if (to > from) onView?.(from, to);
  }, [onView, from, to]);

  const data = useMemo(
    () =>
      far
        ? Array.from({ length: Math.max(0, to - from) }, (_, i) => far.at(from + i)).filter((item): item is Item => item !== undefined)
        : (rows ?? []),
    [far, rows, from, to],
  );
  const definitions = useMemo(
    () =>
      columns.map((column) => ({
        id: column.key,
        header: column.name,
        accessorFn: (item: Item) => column.value?.(item) ?? undefined,
        enableSorting: Boolean(column.value) && !isPlain,
        enableHiding: !column.isActs,
        sortDescFirst: Boolean(column.isNumber),
        sortUndefined: 'last' as const,
        sortFn: (a: Row<typeof features, Item>, b: Row<typeof features, Item>, id: string) =>
          compareValues(a.getValue<Value>(id), b.getValue<Value>(id)),
      })),
    [columns, isPlain],
  );
  const table = useTable<typeof features, Item>({
    features,
    data,
    columns: definitions,
    getRowId: (item, _, parent) => `${parent ? `${parent.id}/` : ''}${keyOf(item)}`,
    getSubRows: partsOf && ((item) => partsOf(item) as Item[] | undefined),
    enableSortingRemoval: false,
    enableMultiSort: false,
    manualSorting: Boolean(far),
    initialState: {
      sorting: first ? [{ id: first.column, desc: first.isDown }] : [],
      expanded: true,
    },
    state: {
      columnVisibility: hidden,
      ...(far && { sorting: [{ id: far.sorting.column, desc: far.sorting.isDown }] }),
    },
    ...(far && {
      onSortingChange: (change) => {
        const next = typeof change === 'function' ? change([{ id: far.sorting.column, desc: far.sorting.isDown }]) : change;
        if (next[0]) far.onSort({ column: next[0].id, isDown: next[0].desc });
      },
    }),
  });
  const drawn = table.getRowModel().rows;
  const last = (far ? count : drawn.length) - 1;
  const columnOf = new Map(columns.map((column) => [column.key, column]));
  const shownColumns = table.getVisibleLeafColumns();
  const hasTools = !isPlain && !far;

  const itemAt = (index: number): Item | undefined => (far ? far.at(index) : drawn[index]?.original);
  const show = (index: number) => {
    const element = scroller.current;
    if (!element) return;
    if (!far) {
      if (isMany) virtual.scrollToIndex(index, { align: 'auto' });
      else element.querySelector(`[data-row="${index}"]`)?.scrollIntoView({ block: 'nearest' });
      return;
    }
    // the head covers a row's height of what is in view
    const top = index * far.height;
    const at = bar().at(element.scrollTop);
    if (top < at) element.scrollTop = bar().top(top);
    else if (top + far.height * 2 > at + element.clientHeight) element.scrollTop = bar().top(top + far.height * 2 - element.clientHeight);
  };
  const onKeyDown = (event: KeyboardEvent) => {
    if ((event.target as Element).closest(ACTIVE)) return;
    const step = { ArrowDown: 1, ArrowUp: -1, PageDown: 15, PageUp: -15, Home: -Infinity, End: Infinity }[event.key];
    const item = itemAt(active);
    if (step !== undefined) {
      event.preventDefault();
      const next = Math.max(0, Math.min(last, active + step));
      setActive(next);
      show(next);
    } else if (event.key === 'Enter' && item && hrefOf) router.push(hrefOf(item));
    else if (event.key === ' ' && item && chosen) {
      event.preventDefault();
      chosen.toggle(item);
    }
  };
  const open = (item: Item) => (event: MouseEvent) => {
    if (!hrefOf || (event.target as Element).closest(ACTIVE) || window.getSelection()?.toString()) return;
    router.push(hrefOf(item));
  };

  const line = (row: Row<typeof features, Item>, index: number) => {
    const item = row.original;
    return (
      <tr
        key={row.id}
        data-row={index}
        data-index={index}
        ref={isMany && !far ? virtual.measureElement : undefined}
        aria-rowindex={isMany ? index + 2 : undefined}
        style={far && { height: far.height }}
        className={clsx(
          '[&>td]:border-b [&>td]:border-line',
          !isMany && 'last:[&>td]:border-0',
          hrefOf && 'cursor-pointer hover:bg-wash',
          chosen?.is(item) && 'bg-wash',
          index === active && 'group-focus-visible/table:shadow-[inset_3px_0_0_var(--accent)]',
          rowClass?.(item, row.depth),
        )}
        onClick={hrefOf && open(item)}
      >
        {chosen && (
          <td className="pl-3">
            <input
              type="checkbox"
              tabIndex={-1}
              aria-label={chosen.say(item)}
              checked={chosen.is(item)}
              onChange={() => chosen.toggle(item)}
              className="block"
            />
          </td>
        )}
        {shownColumns.map((shown) => {
          const column = columnOf.get(shown.id)!;
          const value = column.show ? null : column.value?.(item);
          const content = column.show ? column.show(item) : typeof value === 'number' ? sayCount(value) : value;
          return (
            <td
              key={column.key}
              // a text that is cut can be read whole
              title={typeof content === 'string' && column.className?.includes('truncate') ? content : undefined}
              className={clsx(
                'px-3 first:pl-4 last:pr-4',
                hasTools && column.isNumber && 'last:pr-10',
                far ? 'align-middle' : 'py-2 align-top',
                column.isNumber && 'num',
                column.isActs && 'text-right',
                column.className,
              )}
            >
              {content}
            </td>
          );
        })}
      </tr>
    );
  };
  const rowAt = new Map(drawn.map((row) => [row.id, row]));
  const across = shownColumns.length + (chosen ? 1 : 0);
  const gap = (key: string, height: number) =>
    height > 0 && (
      <tr key={key} aria-hidden="true">
        <td colSpan={across} style={{ height, padding: 0 }} />
      </tr>
    );
  const above = !isMany
    ? 0
    : far
      ? (scroller.current?.scrollTop ?? 0) - (virtual.scrollOffset ?? 0) + from * far.height
      : (inView[0]?.start ?? 0);
  const tall = far ? bar().height : virtual.getTotalSize();

  return (
    <div className={clsx('relative', far && 'flex min-h-0 flex-1 flex-col', className)}>
      <div
        ref={scroller}
        tabIndex={isPlain ? undefined : 0}
        role={isPlain ? undefined : 'region'}
        aria-label={isPlain ? undefined : `${name}: arrow keys walk${hrefOf ? ', Enter opens' : ''}${chosen ? ', space chooses' : ''}`}
        onKeyDown={isPlain ? undefined : onKeyDown}
        className={clsx(
          'group/table rounded-md',
          far ? 'min-h-0 flex-1 overflow-auto' : isMany ? 'max-h-[70vh] overflow-auto' : 'overflow-x-auto',
        )}
      >
        <table
          aria-label={name}
          aria-rowcount={isMany ? count + 1 : undefined}
          className={clsx('w-full border-separate border-spacing-0', isFixed && 'min-w-[840px] table-fixed')}
        >
          {isFixed && (
            <colgroup>
              {chosen && <col style={{ width: 40 }} />}
              {shownColumns.map((shown) => (
                <col key={shown.id} style={{ width: `${shareOf(columns, shown.id)}%` }} />
              ))}
            </colgroup>
          )}
          <thead className={clsx('text-xs text-soft', isMany && 'sticky top-0 z-10 bg-panel')}>
            <tr>
              {chosen && (
                <th scope="col" className="border-b border-line pl-3">
                  {head}
                </th>
              )}
              {shownColumns.map((shown, place) => {
                const column = columnOf.get(shown.id)!;
                const sorted = shown.getIsSorted();
                const isLast = place === shownColumns.length - 1;
                return (
                  <th
                    key={column.key}
                    scope="col"
                    aria-sort={sorted ? (sorted === 'desc' ? 'descending' : 'ascending') : undefined}
                    className={clsx(
                      'whitespace-nowrap border-b border-line px-3 py-2 first:pl-4',
                      isLast && (hasTools ? 'pr-10' : 'pr-4'),
                      column.isNumber && 'text-right',
                    )}
                  >
                    {column.isActs ? (
                      <span className="sr-only">{column.name}</span>
                    ) : shown.getCanSort() ? (
                      <button
                        type="button"
                        className={clsx('inline-flex items-center gap-1 font-semibold hover:text-ink', sorted && 'text-ink')}
                        onClick={shown.getToggleSortingHandler()}
                      >
                        {column.name}
                        {sorted &&
                          (sorted === 'desc' ? <ArrowDown size={12} aria-hidden="true" /> : <ArrowUp size={12} aria-hidden="true" />)}
                      </button>
                    ) : (
                      column.name
                    )}
                  </th>
                );
              })}
            </tr>
          </thead>
          <tbody>
            {!isMany && drawn.map((row, index) => line(row, index))}
            {isMany && gap('above', above)}
            {isMany &&
              inView.map(({ index }) => {
                const item = itemAt(index);
                const row = far ? item && rowAt.get(keyOf(item)) : drawn[index];
                return row ? (
                  line(row, index)
                ) : (
                  <tr key={`at ${index}`} aria-rowindex={index + 2} style={far && { height: far.height }}>
                    <td colSpan={across} className="border-b border-line pl-12 text-soft">
                      …
                    </td>
                  </tr>
                );
              })}
            {isMany && gap('below', tall - above - (far ? (to - from) * far.height : (inView.at(-1)?.end ?? 0) - above))}
          </tbody>
        </table>
      </div>
      {hasTools && (
        <Drop
          button={
            <button
              type="button"
              aria-label={`${name}: columns, save as CSV`}
              title="Columns, save as CSV"
              className="absolute right-1.5 top-1 z-20 grid size-6 place-items-center rounded-md text-soft hover:bg-wash hover:text-ink"
            >
              <Ellipsis size={16} aria-hidden="true" />
            </button>
          }
          className="w-[230px] gap-0.5 p-3"
        >
          <p className="px-2 text-xs font-semibold text-soft">Columns</p>
          {table
            .getAllLeafColumns()
            .filter((column) => column.getCanHide())
            .map((column, place, all) => (
              <label key={column.id} className="flex items-center gap-2 rounded-md px-2 py-1 hover:bg-wash">
                <input
                  type="checkbox"
                  checked={column.getIsVisible()}
                  disabled={column.getIsVisible() && all.filter((one) => one.getIsVisible()).length === 1}
                  onChange={(event) => setHidden({ ...hidden, [column.id]: event.target.checked })}
                />
                {columnOf.get(column.id)!.name}
              </label>
            ))}
          <Button
            className="mt-2"
            onClick={() =>
              saveAs(
                `${name.toLowerCase().replace(/[^a-z0-9]+/g, '-')}.csv`,
                asCsv(
                  columns.filter((column) => column.value && hidden[column.key] !== false),
                  drawn.map((row) => row.original),
                ),
              )
            }
          >
            Save {plural(drawn.length, 'row', 'rows')} as CSV
          </Button>
        </Drop>
      )}
    </div>
  );
}

function shareOf<Item>(columns: readonly TableColumn<Item>[], key: string): number {
  const whole = columns.reduce((sum, column) => sum + (column.width ?? 1), 0);
  return ((columns.find((column) => column.key === key)?.width ?? 1) / whole) * 100;
}
