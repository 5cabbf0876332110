'use client';

import { useState } from 'react';
import { MODEL_WORDS, CREDIT_MODELS, GRAINS, SPLIT_WORDS, type CreditModel, type Grain } from '@/core/revenue';
import { FIGURES, REPORT_DAYS, reportSchema, type Figure, type ReportDocument, type ReportSplit } from '@/core/reports';
import { attempt, Button, Dialog, Field, inputClass, issuesOf, WordList } from '../kit';

const WEEKDAYS = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'] as const;
const toggled = <T extends string>(all: readonly T[], list: readonly T[], one: T): T[] =>
  all.filter((each) => (each === one ? !list.includes(one) : list.includes(each)));

/** What a report shows, over how long, and to whom it goes. */
export function ReportDialog({
  first,
  title,
  act,
  zone,
  onSave,
  onClose,
}: {
  first: ReportDocument;
  title: string;
  act: string;
  zone: string;
  onSave: (document: ReportDocument) => Promise<unknown>;
  onClose: () => void;
}) {
  const [document, setDocument] = useState(first);
  const [isBusy, setBusy] = useState(false);
  const [isTried, setTried] = useState(false);
  const put = (change: Partial<ReportDocument>) => setDocument({ ...document, ...change });
  const problem = issuesOf(reportSchema.safeParse(document))[0];
  const { mail } = document;
  return (
    <Dialog isOpen onClose={onClose} width={680} title={title}>
      <form
        className="grid gap-4"
        onSubmit={(event) => {
          event.preventDefault();
          setTried(true);
          if (problem) return;
          setBusy(true);
          void attempt(() => onSave(document)).finally(() => setBusy(false));
        }}
      >
        <Field label="Name">
          <input
            autoFocus
            value={document.name}
            maxLength={80}
            onChange={(event) => put({ name: event.target.value })}
            className={inputClass}
          />
        </Field>
        <div className="grid grid-cols-3 gap-3">
          <Field label="Period">
            <select
              value={document.days}
              onChange={(event) => put({ days: Number(event.target.value) as ReportDocument['days'] })}
              className={inputClass}
            >
              {REPORT_DAYS.map((days) => (
                <option key={days} value={days}>
                  {days === 365 ? 'the last year' : `the last ${days} days`}
                </option>
              ))}
            </select>
          </Field>
          <Field label="Drawn by">
            <select value={document.grain} onChange={(event) => put({ grain: event.target.value as Grain })} className={inputClass}>
              {GRAINS.map((grain) => (
                <option key={grain}>{grain}</option>
              ))}
            </select>
          </Field>
          <Field label="Model">
            <select
              value={document.model ?? ''}
              onChange={(event) => put({ model: (event.target.value || null) as CreditModel | null })}
              className={inputClass}
            >
              <option value="">the store’s</option>
              {CREDIT_MODELS.map((model) => (
                <option key={model} value={model}>
                  {MODEL_WORDS[model].name}
                </option>
              ))}
            </select>
          </Field>
        </div>
        <Choices
          legend="Figures"
          words={Object.fromEntries(Object.entries(FIGURES).map(([key, { name }]) => [key, name])) as Record<Figure, string>}
          chosen={document.figures}
          onChange={(figures) => put({ figures })}
        />
        <Choices<ReportSplit>
          legend="Split by (up to four)"
          words={SPLIT_WORDS}
          chosen={document.splits}
          onChange={(splits) => put({ splits })}
        />
        <fieldset className="grid gap-2">
          <legend className="mb-1 font-semibold">Each week by mail</legend>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={mail !== null}
              onChange={(event) => put({ mail: event.target.checked ? { weekday: 1, at: '08:00', to: [] } : null })}
            />
            Send it to colleagues
          </label>
          {mail && (
            <div className="grid grid-cols-[1fr_1fr_2fr] gap-3">
              <Field label="On">
                <select
                  value={mail.weekday}
                  onChange={(event) => put({ mail: { ...mail, weekday: Number(event.target.value) } })}
                  className={inputClass}
                >
                  {WEEKDAYS.map((name, n) => (
                    <option key={name} value={n + 1}>
                      {name}
                    </option>
                  ))}
                </select>
              </Field>
              <Field label={`At (${zone})`}>
                <input
                  type="time"
                  required
                  value={mail.at}
                  onChange={(event) => put({ mail: { ...mail, at: event.target.value } })}
                  className={inputClass}
                />
              </Field>
              <Field label="To" hint="Addresses, with commas between them.">
                <WordList value={mail.to} onChange={(to) => put({ mail: { ...mail, to } })} />
              </Field>
            </div>
          )}
        </fieldset>
        <div className="flex items-center gap-3">
          <Button kind="primary" type="submit" disabled={isBusy}>
            {act}
          </Button>
          <Button type="button" onClick={onClose}>
            Cancel
          </Button>
          {isTried && problem && (
            <span role="alert" className="text-sm text-stop">
              {PLACES[problem.path.split('.')[0]!] ?? 'Something'} {problem.message}.
            </span>
          )}
        </div>
      </form>
    </Dialog>
  );
}

const PLACES: { readonly [field: string]: string } = { name: 'The name', figures: 'It', splits: 'It', mail: 'The mail:' };

function Choices<T extends string>({
  legend,
  words,
  chosen,
  onChange,
}: {
  legend: string;
  words: { readonly [key in T]: string };
  chosen: readonly T[];
  onChange: (chosen: T[]) => void;
}) {
  const all = Object.keys(words) as T[];
  return (
    <fieldset>
      <legend className="mb-1 font-semibold">{legend}</legend>
      <div className="grid grid-cols-3 gap-x-4 gap-y-1">
        {all.map((key) => (
          <label key={key} className="flex items-center gap-2">
            <input type="checkbox" checked={chosen.includes(key)} onChange={() => onChange(toggled(all, chosen, key))} />
            {words[key]}
          </label>
        ))}
      </div>
    </fieldset>
  );
}
