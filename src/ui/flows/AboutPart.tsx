'use client';

import { STAGES, STAGE_WORDS, type FlowDocument, type Stage } from '@/core/flows';
import { areaClass, Field, inputClass, WordList } from '../kit';
import type { Edit } from './fields';

/** What is said about a flow: what it is for, who looks after it, where it stands. */
export function AboutPart({ document, edit }: { document: FlowDocument; edit: Edit }) {
  /** takes a field out where nothing is said: the document holds no empty places */
  const put = <K extends 'description' | 'owner' | 'tags' | 'stage'>(key: K, value: FlowDocument[K] | undefined) => {
    const { [key]: _, ...rest } = document;
    edit((value === undefined || value.length === 0 ? rest : { ...rest, [key]: value }) as FlowDocument, key);
  };
  return (
    <details className="rounded-md border border-line p-3" open={Boolean(document.description ?? document.owner ?? document.stage)}>
      <summary className="cursor-pointer text-xs font-semibold text-soft">About this flow</summary>
      <div className="mt-2 grid gap-2">
        <Field label="What it is for">
          <textarea
            value={document.description ?? ''}
            maxLength={1000}
            rows={3}
            onChange={(event) => put('description', event.target.value)}
            className={areaClass}
          />
        </Field>
        <Field label="Who looks after it">
          <input
            value={document.owner ?? ''}
            maxLength={120}
            onChange={(event) => put('owner', event.target.value)}
            className={inputClass}
          />
        </Field>
        <Field label="Where it stands">
          <select
            value={document.stage ?? ''}
            onChange={(event) => put('stage', (event.target.value || undefined) as Stage | undefined)}
            className={inputClass}
          >
            <option value="">not said</option>
            {STAGES.map((stage) => (
              <option key={stage} value={stage}>
                {STAGE_WORDS[stage]}
              </option>
            ))}
          </select>
        </Field>
        <Field label="Tags" hint="With commas between">
          <WordList value={document.tags ?? []} onChange={(tags) => put('tags', tags)} />
        </Field>
      </div>
    </details>
  );
}
