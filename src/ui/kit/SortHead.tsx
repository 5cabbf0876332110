import { clsx } from 'clsx';
import { ArrowDown, ArrowUp } from 'lucide-react';
import type { ReactNode } from 'react';

export interface Sorting<Column extends string> {
  readonly column: Column;
  readonly isDown: boolean;
}

/** A column head that sorts by its column; again, the other way. */
export function SortHead<Column extends string>({
  column,
  sorting,
  onSort,
  isNumber,
  className,
  children,
  as = 'th',
}: {
  as?: 'th' | 'span';
  column: Column;
  sorting: Sorting<Column>;
  onSort: (sorting: Sorting<Column>) => void;
  isNumber?: boolean;
  className?: string;
  children: ReactNode;
}) {
  const isHere = sorting.column === column;
  const As = as;
  return (
    <As
      {...(as === 'th' ? { scope: 'col' } : { role: 'columnheader' })}
      aria-sort={isHere ? (sorting.isDown ? 'descending' : 'ascending') : undefined}
      className={clsx('px-3 py-2', isNumber && 'text-right', className)}
    >
      <button
        type="button"
        className={clsx('inline-flex items-center gap-1 whitespace-nowrap font-semibold hover:text-ink', isHere && 'text-ink')}
        onClick={() => onSort({ column, isDown: isHere ? !sorting.isDown : Boolean(isNumber) })}
      >
        {children}
        {isHere && (sorting.isDown ? <ArrowDown size={12} aria-hidden="true" /> : <ArrowUp size={12} aria-hidden="true" />)}
      </button>
    </As>
  );
}
