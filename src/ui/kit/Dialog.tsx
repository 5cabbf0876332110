'use client';

import { Dialog as Radix } from 'radix-ui';
import type { ReactNode } from 'react';

/** A sheet in front of everything: its title, what it is about, and what stands in it. Escape and a click beside it close it. */
export function Dialog({
  isOpen,
  onClose,
  title,
  about,
  width = 480,
  children,
}: {
  isOpen: boolean;
  onClose: () => void;
  title: ReactNode;
  about?: ReactNode;
  width?: number;
  children: ReactNode;
}) {
  return (
    <Radix.Root open={isOpen} onOpenChange={(open) => !open && onClose()}>
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 z-40 bg-black/30" />
        <Radix.Content
          style={{ width }}
          className={
            'fixed left-1/2 top-[8vh] z-50 grid max-h-[84vh] max-w-[94vw] -translate-x-1/2 gap-4 overflow-y-auto ' +
            'rounded-md border border-line bg-panel p-6'
          }
        >
          <Radix.Title className="text-lg font-semibold">{title}</Radix.Title>
          {about ? (
            <Radix.Description asChild>
              <div className="text-soft">{about}</div>
            </Radix.Description>
          ) : (
            <Radix.Description className="sr-only">{title}</Radix.Description>
          )}
          {children}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  );
}
