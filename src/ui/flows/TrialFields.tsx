'use client';

import type { Trial } from '@/core/flows';
import { DurationField, Field, inputClass, NumberField } from '../kit';

const BY: { readonly [by in Trial['by']]: string } = {
  opened: 'who opens it',
  clicked: 'who clicks in it',
  goal: 'who reaches the goal',
};
export const USUAL_TRIAL: Trial = { share: 20, lasts: 'PT4H', by: 'opened', unsure: 'ask' };

/** How a test is tried on a part first: on how many, by what, for how long, and what becomes of it where nothing can be told. */
export function TrialFields({
  trial,
  ways,
  onChange,
  goal = BY.goal,
}: {
  trial: Trial;
  ways: number;
  onChange: (trial: Trial, field: string) => void;
  /** what the goal is called here */
  goal?: string;
}) {
  return (
    <>
      <div className="grid grid-cols-2 items-start gap-2">
        <Field label="Part of the people, %" hint={`About ${Math.round(trial.share / ways)} % for each`}>
          <NumberField
            min={1}
            max={90}
            step={1}
            value={trial.share}
            onChange={(share) => onChange({ ...trial, share: Math.min(90, Math.max(1, Math.round(share))) }, 'share')}
          />
        </Field>
        <Field label="What counts">
          <select
            value={trial.by}
            onChange={(event) => onChange({ ...trial, by: event.target.value as Trial['by'] }, 'by')}
            className={inputClass}
          >
            {(['opened', 'clicked', 'goal'] as const).map((by) => (
              <option key={by} value={by}>
                {by === 'goal' ? goal : BY[by]}
              </option>
            ))}
          </select>
        </Field>
      </div>
      <DurationField label="Tried for" value={trial.lasts} onChange={(lasts) => onChange({ ...trial, lasts }, 'lasts')} />
      <Field label="If there is no clear winner">
        <select
          value={trial.unsure}
          onChange={(event) => onChange({ ...trial, unsure: event.target.value as Trial['unsure'] }, 'unsure')}
          className={inputClass}
        >
          <option value="ask">wait until somebody chooses</option>
          <option value="highest">take the one that is ahead</option>
        </select>
      </Field>
    </>
  );
}
