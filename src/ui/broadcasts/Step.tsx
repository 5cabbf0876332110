import type { ReactNode } from 'react';

/** One of the questions that a broadcast asks: a column under its name. */
export function Step({ title, acts, children }: { title: string; acts?: ReactNode; children: ReactNode }) {
  return (
    <section
      aria-label={title}
      className="grid min-h-0 min-w-0 grid-cols-[minmax(0,1fr)] content-start gap-4 overflow-y-auto border-r border-line p-4 last:border-r-0"
    >
      <header className="flex items-center justify-between gap-2">
        <h2 className="text-lg font-semibold">{title}</h2>
        {acts}
      </header>
      {children}
    </section>
  );
}
