'use client';

import { Command } from 'cmdk';
import { useEffect, useRef } from 'react';

/** One thing that can be chosen from a list that is searched by typing. */
export interface Pick {
  readonly key: string;
  readonly name: string;
  readonly says?: string;
  readonly also?: string;
  readonly group?: string;
}

/** On what the list stands. */
const chosenIn = (list: HTMLElement | null): HTMLElement | null =>
  list?.querySelector<HTMLElement>('[cmdk-item][data-selected="true"]') ?? null;

/** A list that is searched by typing: arrows and Enter choose, Escape closes. It opens with its field in hand. */
export function PickList({
  label,
  picks,
  onPick,
  onClose,
  empty = 'Nothing by these words',
  isLoading = false,
}: {
  label: string;
  picks: readonly Pick[];
  onPick: (key: string) => void;
  onClose: () => void;
  empty?: string;
  /** more to choose from comes: Enter that finds nothing yet chooses the first that fits when it is there */
  isLoading?: boolean;
}) {
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => field.current?.focus(), []);
  const list = useRef<HTMLDivElement>(null);
  const isAwaited = useRef(false);
  // once the list has taken in what came, what it stands on is what was meant
  useEffect(() => {
    if (!isAwaited.current || isLoading) return;
    const frame = requestAnimationFrame(() => {
      isAwaited.current = false;
      chosenIn(list.current)?.click();
    });
    return () => cancelAnimationFrame(frame);
  }, [picks, isLoading]);
  const groups = [...new Set(picks.map(({ group }) => group ?? ''))];
  return (
    <Command
      ref={list}
      label={label}
      className="w-[320px] rounded-md border border-line bg-panel text-base text-ink"
      onKeyDown={(event) => {
        isAwaited.current = event.key === 'Enter' && isLoading && !chosenIn(list.current);
        if (event.key !== 'Escape') return;
        event.stopPropagation();
        onClose();
      }}
    >
      <Command.Input
        ref={field}
        placeholder={label}
        className="h-9 w-full rounded-t-md border-b border-line bg-panel px-3 outline-none placeholder:text-soft"
      />
      <Command.List className="max-h-[300px] overflow-y-auto p-1">
        <Command.Empty className="px-3 py-2 text-soft">{isLoading ? 'Loading…' : empty}</Command.Empty>
        {groups.map((group) => (
          <Command.Group key={group} heading={group || undefined} className="pick-group">
            {picks
              .filter((one) => (one.group ?? '') === group)
              .map((one) => (
                <Command.Item
                  key={one.key}
                  value={`${one.name} ${one.also ?? ''} ${one.key}`}
                  onSelect={() => onPick(one.key)}
                  className="flex cursor-pointer items-baseline justify-between gap-3 rounded-md px-3 py-1 data-[selected=true]:bg-wash"
                >
                  <span className="whitespace-nowrap">{one.name}</span>
                  {one.says && (
                    <span className="truncate text-right text-xs text-soft" title={one.says}>
                      {one.says}
                    </span>
                  )}
                </Command.Item>
              ))}
          </Command.Group>
        ))}
      </Command.List>
    </Command>
  );
}
