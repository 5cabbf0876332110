'use client';

import { clsx } from 'clsx';
import { Copy } from 'lucide-react';
import { usePathname } from 'next/navigation';
import { useState, type ReactNode } from 'react';
import { Button } from './form';
import { Link } from './Link';

/** A page of a section: title, a sentence about it, acts at the right, and what there is. */
export function Page({
  title,
  about,
  back,
  acts,
  children,
}: {
  title: ReactNode;
  about?: ReactNode;
  back?: { href: string; name: string };
  acts?: ReactNode;
  children: ReactNode;
}) {
  return (
    <div className="mx-auto max-w-[1280px] px-6 py-5">
      <div className="mb-4 flex items-end gap-3">
        <div className="min-w-0">
          {back && (
            <Link href={back.href} className="text-xs text-accent">
              {back.name}
            </Link>
          )}
          <h1 className="break-words text-xl font-semibold">{title}</h1>
          {about && <div className="max-w-[720px] text-soft">{about}</div>}
        </div>
        <div className="flex-1" />
        {acts}
      </div>
      {children}
    </div>
  );
}

/** A part of a page under its own heading. */
export function Part({ title, acts, children, className }: { title: string; acts?: ReactNode; children: ReactNode; className?: string }) {
  return (
    <section aria-label={title} className={clsx('min-w-0 rounded-md border border-line bg-panel', className)}>
      <div className="flex min-h-10 items-center gap-2 border-b border-line px-4">
        <h2 className="py-2 font-semibold">{title}</h2>
        <div className="flex-1" />
        {acts}
      </div>
      {children}
    </section>
  );
}

/** The places of a section, under the bar. */
export function Places({ label, places }: { label: string; places: readonly { href: string; name: string; isExact?: boolean }[] }) {
  const path = usePathname();
  return (
    <nav aria-label={label} className="border-b border-line bg-panel">
      <div className="mx-auto flex max-w-[1280px] gap-1 px-5">
        {places.map((place) => {
          const isHere = place.isExact ? path === place.href : path === place.href || path.startsWith(`${place.href}/`);
          return (
            <Link
              key={place.href}
              href={place.href}
              aria-current={isHere ? 'page' : undefined}
              className={clsx(
                'border-b-2 px-2.5 py-2',
                isHere ? 'border-accent font-semibold text-accent' : 'border-transparent hover:text-accent',
              )}
            >
              {place.name}
            </Link>
          );
        })}
      </div>
    </nav>
  );
}

/** A text to be copied: an address, a key, a piece of a page. */
export function Copied({ text, label, isBlock }: { text: string; label: string; isBlock?: boolean }) {
  const [isDone, setDone] = useState(false);
  return (
    <div className={clsx('flex min-w-0 gap-2', isBlock ? 'items-start' : 'items-center')}>
      <code
        className={clsx(
          'min-w-0 flex-1 rounded-md border border-line bg-paper px-2 py-1.5 font-mono text-xs',
          isBlock ? 'whitespace-pre-wrap break-all' : 'truncate',
        )}
        aria-label={label}
      >
        {text}
      </code>
      <Button
        onClick={() =>
          void navigator.clipboard.writeText(text).then(
            () => setDone(true),
            () => setDone(false),
          )
        }
        aria-label={`Copy ${label}`}
      >
        <Copy size={16} aria-hidden="true" />
        {isDone ? 'Copied' : 'Copy'}
      </Button>
    </div>
  );
}

/** The name of a row that leads to its page, with a word about it below. */
export function Named({ href, name, below }: { href: string; name: ReactNode; below?: ReactNode }) {
  return (
    <>
      <Link href={href} className="font-semibold hover:underline">
        {name}
      </Link>
      <div className="text-xs text-soft">{below}</div>
    </>
  );
}

/** A small label: a tag, a kind, a scope. */
export function Label({ children, tone }: { children: ReactNode; tone?: 'good' | 'caution' | 'stop' }) {
  return (
    <span
      className={clsx(
        'inline-block whitespace-nowrap rounded-sm border border-line px-1.5 text-xs leading-[18px]',
        tone === 'good' && 'text-good',
        tone === 'caution' && 'text-caution',
        tone === 'stop' && 'text-stop',
        !tone && 'text-soft',
      )}
    >
      {children}
    </span>
  );
}

/** JSON as it is, to be read. */
export function Json({ value, className }: { value: unknown; className?: string }) {
  let text: string;
  if (typeof value === 'string') {
    try {
      text = JSON.stringify(JSON.parse(value), null, 2);
    } catch {
      text = value;
    }
  } else text = JSON.stringify(value, null, 2);
  return (
    <pre
      tabIndex={0}
      className={clsx(
        'max-h-72 overflow-auto whitespace-pre-wrap break-all rounded-md border border-line bg-paper p-2 font-mono text-xs',
        className,
      )}
    >
      {text}
    </pre>
  );
}

export const thClass = 'px-3 py-2 first:pl-4 last:pr-4 whitespace-nowrap';
export const tdClass = 'px-3 py-2 first:pl-4 last:pr-4 align-top';
