'use client';

import { clsx } from 'clsx';
import { useState, type AllHTMLAttributes, type ButtonHTMLAttributes, type InputHTMLAttributes, type ReactNode } from 'react';
import type { FieldPath, FieldValues, UseFormReturn } from 'react-hook-form';
import { useMayNot } from './may';

/** The looks of a field, without its width. */
export const fieldClass = 'h-8 min-w-0 rounded-md border border-line bg-panel px-2 text-ink placeholder:text-soft disabled:opacity-60';
/** A field as wide as its place. */
export const inputClass = `${fieldClass} w-full`;
/** A field of several lines. */
export const areaClass = 'w-full rounded-md border border-line bg-panel px-2 py-1.5 text-ink';

/** A labelled field with its unit or hint and its problem. */
export function Field({
  label,
  hint,
  problem,
  children,
}: {
  label: string;
  hint?: ReactNode;
  problem?: string | null;
  children: ReactNode;
}) {
  return (
    <div className="grid gap-1">
      <label className="grid gap-1">
        <span className="text-xs font-semibold text-soft">{label}</span>
        {children}
      </label>
      {hint && !problem && <span className="text-xs text-soft">{hint}</span>}
      {problem && (
        <span role="alert" className="text-xs text-stop">
          {problem}
        </span>
      )}
    </div>
  );
}

/** A number that can be typed freely: only sound ones are handed on, and it follows when the value changes elsewhere (undo, say). */
export function NumberField({
  value,
  onChange,
  className,
  ...rest
}: { value: number; onChange: (value: number) => void } & Omit<InputHTMLAttributes<HTMLInputElement>, 'value' | 'onChange' | 'type'>) {
  const [typed, setTyped] = useState<{ text: string; of: number } | null>(null);
  return (
    <input
      {...rest}
      type="number"
      value={typed && typed.of === value ? typed.text : String(value)}
      onChange={(event) => {
        const next = event.target.valueAsNumber;
        setTyped({ text: event.target.value, of: Number.isFinite(next) ? next : value });
        if (Number.isFinite(next) && next !== value) onChange(next);
      }}
      className={clsx(inputClass, 'tabular', className)}
    />
  );
}

/**
 * A button: `primary` for the one act of a place, `plain` for the others, `quiet` inside tables and bars. `changes` is the place of the
 * public interface that it changes (`/offers/ten`): whose role may not do that cannot press it, and is told why.
 */
export function Button({
  kind = 'plain',
  className,
  changes,
  needs,
  ...rest
}: { kind?: 'primary' | 'plain' | 'quiet'; changes?: string; needs?: 'owner' } & ButtonHTMLAttributes<HTMLButtonElement>) {
  const why = useMayNot()(changes, needs);
  return (
    <button
      type="button"
      {...rest}
      {...(why !== null && { disabled: true, title: why })}
      className={clsx(
        'inline-flex h-8 items-center justify-center gap-2 whitespace-nowrap rounded-md px-3 font-semibold disabled:opacity-50',
        kind === 'primary' && 'bg-accent text-on-accent hover:opacity-90',
        kind === 'plain' && 'border border-line bg-panel text-ink hover:bg-wash',
        kind === 'quiet' && 'text-ink hover:bg-wash',
        className,
      )}
    />
  );
}

/** A field of a form over a schema, with what is wrong with it under it. `as` says what it is; a list's options are its children. */
export function Entry<In extends FieldValues>({
  form,
  name,
  label,
  hint,
  as: As = 'input',
  className,
  ...rest
}: {
  form: Pick<UseFormReturn<In>, 'register' | 'getFieldState' | 'formState'>;
  name: FieldPath<In>;
  label: string;
  hint?: ReactNode;
  as?: 'input' | 'select' | 'textarea';
  rows?: number;
} & Omit<AllHTMLAttributes<HTMLElement>, 'form' | 'name' | 'as' | 'label'>) {
  const { error } = form.getFieldState(name, form.formState);
  return (
    <Field label={label} hint={hint} problem={error?.message}>
      <As
        {...form.register(name)}
        {...rest}
        aria-invalid={error ? true : undefined}
        className={clsx(As === 'textarea' ? areaClass : inputClass, className)}
      />
    </Field>
  );
}

/** A list of words, typed with commas between. What is typed stays as it is while it means what is stored. */
export function WordList({
  value,
  onChange,
  className = inputClass,
  ...rest
}: { value: readonly string[]; onChange: (value: string[]) => void } & Omit<
  InputHTMLAttributes<HTMLInputElement>,
  'value' | 'onChange' | 'type'
>) {
  const [typed, setTyped] = useState<string | null>(null);
  const read = (text: string) => [
    ...new Set(
      text
        .split(',')
        .map((one) => one.trim())
        .filter(Boolean),
    ),
  ];
  return (
    <input
      {...rest}
      value={typed !== null && read(typed).join() === value.join() ? typed : value.join(', ')}
      onChange={(event) => {
        setTyped(event.target.value);
        onChange(read(event.target.value));
      }}
      className={className}
    />
  );
}
