'use client';

import { fieldClass } from './form';

/** What stands above a table and leaves rows out by words. */
export function WordFilter({ value, onChange, hint }: { value: string; onChange: (value: string) => void; hint: string }) {
  return (
    <input
      type="search"
      aria-label="Filter by words"
      placeholder={hint}
      value={value}
      onChange={(event) => onChange(event.target.value)}
      className={`${fieldClass} w-64`}
    />
  );
}

/** The same by the state that something is in; none chosen leaves none out. */
export function StateFilter<S extends string>({
  value,
  onChange,
  states,
}: {
  value: S | '';
  onChange: (value: S | '') => void;
  states: readonly (readonly [S, string])[];
}) {
  return (
    <select
      aria-label="Filter by state"
      value={value}
      onChange={(event) => onChange(event.target.value as S | '')}
      className={`${fieldClass} w-40`}
    >
      <option value="">Every state</option>
      {states.map(([state, name]) => (
        <option key={state} value={state}>
          {name}
        </option>
      ))}
    </select>
  );
}
