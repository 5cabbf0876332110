'use client';

import { clsx } from 'clsx';
import { Popover } from 'radix-ui';
import type { ReactElement, ReactNode } from 'react';

/** What opens below a button and goes when something else is clicked: a few fields, a choice. Escape closes it. */
export function Drop({
  button,
  isOpen,
  onOpenChange,
  align = 'end',
  className,
  children,
}: {
  button: ReactElement;
  /** where the caller opens and closes it */
  isOpen?: boolean;
  onOpenChange?: (isOpen: boolean) => void;
  align?: 'start' | 'end';
  className?: string;
  children: ReactNode;
}) {
  return (
    <Popover.Root open={isOpen} onOpenChange={onOpenChange}>
      <Popover.Trigger asChild>{button}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align={align}
          sideOffset={6}
          className={clsx('z-[60] grid max-h-[70vh] overflow-y-auto rounded-md border border-line bg-panel text-ink', className)}
        >
          {children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
