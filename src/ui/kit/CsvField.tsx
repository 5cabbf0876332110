'use client';

import { areaClass, Field } from './form';

/** A table as CSV: from a file, or its lines. */
export function CsvField({ value, onChange, placeholder }: { value: string; onChange: (csv: string) => void; placeholder: string }) {
  return (
    <>
      <Field label="A CSV file">
        <input
          type="file"
          accept=".csv,.txt,text/csv,text/plain"
          onChange={(event) => {
            const [file] = event.target.files ?? [];
            if (file) void file.text().then(onChange);
          }}
        />
      </Field>
      <Field label="Or its lines">
        <textarea
          value={value}
          rows={6}
          spellCheck={false}
          placeholder={placeholder}
          onChange={(event) => onChange(event.target.value)}
          className={`${areaClass} font-mono text-xs`}
        />
      </Field>
    </>
  );
}
