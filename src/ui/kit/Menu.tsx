'use client';

import clsx from 'clsx';
import { DropdownMenu } from 'radix-ui';
import type { ReactElement, ReactNode } from 'react';
import { useMayNot } from './may';

/**
 * One thing of a menu: done here, or an address that is saved as a file. `takes` marks what takes something away for good; `changes` is
 * the place of the public interface that it changes: it is left out for whose role may not do that.
 */
export type MenuItem = { name: ReactNode; takes?: boolean; changes?: string } & ({ onSelect: () => void } | { saves: string });

/**
 * What can be done, behind one button (`children`). A group that is set off from the one above it stands as a list of its own;
 * what is `false` is left out. Arrow keys, first letters and Escape work as in every menu.
 */
export function Menu({
  groups,
  align = 'end',
  children,
}: {
  groups: (MenuItem | false)[][];
  align?: 'start' | 'end';
  children: ReactElement;
}) {
  const mayNot = useMayNot();
  const shown = groups
    .map((group) => group.filter((item): item is MenuItem => item !== false && mayNot(item.changes) === null))
    .filter((group) => group.length);
  if (!shown.length) return null;
  return (
    <DropdownMenu.Root>
      <DropdownMenu.Trigger asChild>{children}</DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content align={align} sideOffset={4} className="z-[60] min-w-[200px] rounded-md border border-line bg-panel p-1">
          {shown.map((group, at) => (
            <DropdownMenu.Group key={at} className={clsx(at > 0 && 'mt-1 border-t border-line pt-1')}>
              {group.map((item, place) => (
                <One key={place} item={item} />
              ))}
            </DropdownMenu.Group>
          ))}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

function One({ item }: { item: MenuItem }) {
  const look = clsx(
    'flex cursor-pointer items-center rounded-md px-3 py-1.5 outline-none data-[highlighted]:bg-wash',
    item.takes && 'text-stop',
  );
  if ('saves' in item)
    return (
      <DropdownMenu.Item className={look} asChild>
        <a href={item.saves} download>
          {item.name}
        </a>
      </DropdownMenu.Item>
    );
  return (
    <DropdownMenu.Item className={look} onSelect={item.onSelect}>
      {item.name}
    </DropdownMenu.Item>
  );
}
