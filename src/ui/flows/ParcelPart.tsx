'use client';

import { Plus, X } from 'lucide-react';
import type { WaitParcel } from '@/core/flows';
import { Button, DurationField, Field, inputClass, WordList } from '../kit';
import { Tick } from './fields';

/** To begin with: a week after the delivery, which takes longer abroad. */
export const NEW_PARCEL: WaitParcel = {
  is: 'delivered',
  then: 'P7D',
  estimates: [{ countries: ['GB', 'US'], takes: 'P10D' }],
  otherwise: 'P3D',
};

/** Until the order is sent or delivered, how long after, and what is taken where the shop does not tell. */
export function ParcelPart({ parcel, put }: { parcel: WaitParcel; put: (parcel: WaitParcel, field: string) => void }) {
  const putEstimate = (index: number, change: Partial<WaitParcel['estimates'][number]>) =>
    put(
      { ...parcel, estimates: parcel.estimates.map((one, at) => (at === index ? { ...one, ...change } : one)) },
      `parcel.estimates.${index}`,
    );
  const { then, ...atOnce } = parcel;
  return (
    <fieldset className="grid gap-2 rounded-md border border-line p-3">
      <legend className="px-1 text-xs font-semibold text-soft">The parcel of the order</legend>
      <Field label="Until it is">
        <select
          value={parcel.is}
          onChange={(event) => put({ ...parcel, is: event.target.value as WaitParcel['is'] }, 'parcel.is')}
          className={inputClass}
        >
          <option value="shipped">sent</option>
          <option value="delivered">delivered</option>
        </select>
      </Field>
      <Tick
        label="And a while after that"
        isOn={then !== undefined}
        onChange={(isOn) => put(isOn ? { ...parcel, then: 'P7D' } : atOnce, 'parcel.then')}
      />
      {then !== undefined && (
        <DurationField label="How long after" value={then} onChange={(next) => put({ ...parcel, then: next }, 'parcel.then')} />
      )}
      <p className="text-xs text-soft">
        Told by order.{parcel.is}. Where the shop does not tell, it is taken to be so long after the order:
      </p>
      {parcel.estimates.map((one, index) => (
        <div key={index} className="grid gap-2 rounded-md border border-line p-2">
          <Field label="To these countries" hint="Two letters each, with commas between: GB, US">
            <WordList
              value={one.countries}
              onChange={(countries) => putEstimate(index, { countries: countries.map((code) => code.toUpperCase()) })}
              className={`${inputClass} font-mono`}
            />
          </Field>
          <DurationField label="Takes" value={one.takes} onChange={(takes) => putEstimate(index, { takes })} />
          <Button
            kind="quiet"
            className="justify-self-start"
            onClick={() => put({ ...parcel, estimates: parcel.estimates.filter((_, at) => at !== index) }, 'parcel.estimates')}
          >
            <X size={16} aria-hidden="true" /> Remove
          </Button>
        </div>
      ))}
      <Button
        className="justify-self-start"
        disabled={parcel.estimates.length >= 20}
        onClick={() => put({ ...parcel, estimates: [...parcel.estimates, { countries: ['US'], takes: 'P10D' }] }, 'parcel.estimates')}
      >
        <Plus size={16} aria-hidden="true" /> Add countries
      </Button>
      <DurationField
        label={parcel.estimates.length ? 'Everywhere else' : 'How long it takes'}
        value={parcel.otherwise}
        onChange={(otherwise) => put({ ...parcel, otherwise }, 'parcel.otherwise')}
      />
    </fieldset>
  );
}
