'use client';

import { useState } from 'react';
import { approximateMs, DAY, DURATION_UNITS, joinDuration, sayDuration, splitDuration, type DurationUnit } from '@/core/time';
import { Field, inputClass } from './form';

/** A duration as an amount and a unit. Only sound amounts are handed on; what is typed stays on the screen. */
export function DurationField({ label, value, onChange }: { label: string; value: string; onChange: (duration: string) => void }) {
  const parts = splitDuration(value);
  const [typed, setTyped] = useState<{ text: string; of: string } | null>(null);
  const text = typed && typed.of === value ? typed.text : parts ? String(parts.amount) : '';
  const unit = parts?.unit ?? 'hours';
  const amount = Number(text);
  const isSound = Number.isInteger(amount) && amount > 0 && approximateMs(joinDuration(Math.max(1, amount), unit)) <= 3650 * DAY;

  const set = (nextText: string, nextUnit: DurationUnit) => {
    const next = Number(nextText);
    if (nextText.trim() !== '' && Number.isInteger(next) && next > 0 && approximateMs(joinDuration(next, nextUnit)) <= 3650 * DAY) {
      const duration = joinDuration(next, nextUnit);
      setTyped({ text: nextText, of: duration });
      if (duration !== value) onChange(duration);
    } else setTyped({ text: nextText, of: value });
  };
  return (
    <Field
      label={label}
      problem={text !== '' || !parts ? (isSound || !typed ? null : 'A whole number above nothing, and at most ten years') : 'How long?'}
      hint={parts ? undefined : `Now ${sayDuration(value)}; type an amount to replace it.`}
    >
      <span className="flex gap-2">
        <input
          aria-label={`${label}, amount`}
          inputMode="numeric"
          value={text}
          onChange={(event) => set(event.target.value, unit)}
          className={`${inputClass} tabular`}
        />
        <select
          aria-label={`${label}, unit`}
          value={unit}
          onChange={(event) => set(text, event.target.value as DurationUnit)}
          className={inputClass}
        >
          {DURATION_UNITS.map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
      </span>
    </Field>
  );
}
