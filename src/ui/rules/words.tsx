'use client';

import { clsx } from 'clsx';
import { Command } from 'cmdk';
import { useId, useState, type ReactNode } from 'react';
import { DURATION_UNITS, joinDuration, sayDuration, splitDuration, type DurationUnit } from '@/core/time';
import { Drop } from '../kit';

/** A word of a sentence that can be changed: underlined, as wide as what it says. */
const wordClass = clsx(
  'h-5 rounded-sm border-b border-dashed border-accent bg-transparent px-0.5 font-semibold leading-5 text-ink',
  '[field-sizing:content] hover:bg-wash focus-visible:bg-wash',
);

/** One of a few words. */
export function PickWord<T extends string>({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: T;
  options: readonly (readonly [T, string])[];
  onChange: (value: T) => void;
}) {
  return (
    <select
      aria-label={label}
      value={value}
      onChange={(event) => onChange(event.target.value as T)}
      className={clsx(wordClass, 'cursor-pointer appearance-none')}
    >
      {options.map(([key, name]) => (
        <option key={key} value={key}>
          {name}
        </option>
      ))}
    </select>
  );
}

/** One of many words, found by typing. */
export function FindWord({
  label,
  value,
  shown,
  options,
  onChange,
  takesOther,
}: {
  label: string;
  value: string;
  shown: ReactNode;
  options: readonly { readonly key: string; readonly name: string; readonly note?: string }[];
  onChange: (value: string) => void;
  /** whether what is typed can be taken although it is not among them */
  takesOther?: boolean;
}) {
  const [isOpen, setOpen] = useState(false);
  const [typed, setTyped] = useState('');
  const take = (key: string) => {
    setOpen(false);
    setTyped('');
    if (key !== value) onChange(key);
  };
  return (
    <Drop
      isOpen={isOpen}
      onOpenChange={setOpen}
      align="start"
      className="w-[300px]"
      button={
        <button type="button" aria-label={`${label}: ${typeof shown === 'string' ? shown : value}`} className={wordClass}>
          {shown}
        </button>
      }
    >
      <Command label={label} className="grid">
        <Command.Input
          autoFocus
          value={typed}
          onValueChange={setTyped}
          placeholder={`Find: ${label}`}
          className="h-9 border-b border-line bg-transparent px-3"
        />
        <Command.List className="max-h-[260px] overflow-y-auto p-1">
          <Command.Empty className="px-3 py-2 text-soft">Nothing like that has occurred.</Command.Empty>
          {options.map((one) => (
            <Command.Item
              key={one.key}
              value={`${one.name} ${one.key}`}
              onSelect={() => take(one.key)}
              className="flex cursor-pointer items-baseline justify-between gap-3 rounded-md px-2 py-1 data-[selected=true]:bg-wash"
            >
              <span className="min-w-0 truncate">{one.name}</span>
              {one.note && <span className="whitespace-nowrap text-xs text-soft tabular">{one.note}</span>}
            </Command.Item>
          ))}
          {takesOther && typed.trim() && !options.some((one) => one.key === typed.trim()) && (
            <Command.Item
              value={`${typed} as typed`}
              onSelect={() => take(typed.trim())}
              className="cursor-pointer rounded-md px-2 py-1 data-[selected=true]:bg-wash"
            >
              “{typed.trim()}”, as typed
            </Command.Item>
          )}
        </Command.List>
      </Command>
    </Drop>
  );
}

/** A word that is typed. What cannot be taken stays on the screen, marked. */
export function TypeWord({
  label,
  value,
  read,
  onChange,
  options,
  isNumber,
}: {
  label: string;
  value: string;
  /** what is typed, as it is taken; undefined where it cannot be */
  read: (text: string) => unknown;
  onChange: (text: string) => void;
  options?: readonly { readonly value: string; readonly count: number }[];
  isNumber?: boolean;
}) {
  const id = useId();
  const [typed, setTyped] = useState<{ text: string; of: string } | null>(null);
  const text = typed && typed.of === value ? typed.text : value;
  const isBad = read(text) === undefined;
  return (
    <>
      <input
        aria-label={label}
        aria-invalid={isBad || undefined}
        list={options?.length ? id : undefined}
        inputMode={isNumber ? 'decimal' : undefined}
        value={text}
        placeholder="…"
        onChange={(event) => {
          const next = event.target.value;
          const isTaken = read(next) !== undefined;
          setTyped({ text: next, of: isTaken ? next : value });
          if (isTaken && next !== value) onChange(next);
        }}
        className={clsx(wordClass, 'min-w-[2ch] max-w-[40ch]', isNumber && 'tabular', isBad && 'border-stop text-stop')}
      />
      {options?.length ? (
        <datalist id={id}>
          {options.slice(0, 50).map((one) => (
            <option key={one.value} value={one.value}>{`${one.count} people`}</option>
          ))}
        </datalist>
      ) : null}
    </>
  );
}

const whole = (least: number) => (text: string) => (/^\d{1,6}$/.test(text) && Number(text) >= least ? Number(text) : undefined);

/** A whole number. */
export function CountWord({
  label,
  value,
  least = 1,
  onChange,
}: {
  label: string;
  value: number;
  least?: number;
  onChange: (value: number) => void;
}) {
  return <TypeWord label={label} value={String(value)} isNumber read={whole(least)} onChange={(text) => onChange(Number(text))} />;
}

/** A duration: an amount and its unit. */
export function DurationWord({ label, value, onChange }: { label: string; value: string; onChange: (duration: string) => void }) {
  const parts = splitDuration(value);
  if (!parts)
    return (
      <button type="button" title="Replace it by days" className={wordClass} onClick={() => onChange('P30D')}>
        {sayDuration(value)}
      </button>
    );
  return (
    <>
      <CountWord label={`${label}, amount`} value={parts.amount} onChange={(amount) => onChange(joinDuration(amount, parts.unit))} />{' '}
      <PickWord<DurationUnit>
        label={`${label}, unit`}
        value={parts.unit}
        options={DURATION_UNITS.map((unit) => [unit, parts.amount === 1 ? unit.slice(0, -1) : unit] as const)}
        onChange={(unit) => onChange(joinDuration(parts.amount, unit))}
      />
    </>
  );
}

/** A day of the calendar. */
export function Day({ label, value, onChange }: { label: string; value: string | undefined; onChange: (day: string) => void }) {
  return (
    <input
      type="date"
      aria-label={label}
      value={value ?? ''}
      onChange={(event) => event.target.value && onChange(event.target.value)}
      className="h-5 rounded-sm border-b border-dashed border-accent bg-transparent font-semibold leading-5"
    />
  );
}
