'use client';

import { useState } from 'react';
import {
  CREDIT_MODELS,
  DEEDS,
  MODEL_WORDS,
  revenueSettingsSchema,
  sayCounted,
  type CreditModel,
  type RevenueSettings,
} from '@/core/revenue';
import { CHANNELS, CHANNEL_WORDS } from '@/core/rules';
import { api, attempt, Button, Dialog, Field, fieldClass, inputClass, issuesOf, NumberField } from '../kit';

const DEED_WORDS = { clicked: 'after a click', opened: 'after an opening', delivered: 'after it arrived' } as const;

/** How revenue is counted: the model that is shown, for how long a message counts, what of an order counts, and when refunds do. */
export function CountingDialog({ first, onClose, onSaved }: { first: RevenueSettings; onClose: () => void; onSaved: () => void }) {
  const [settings, setSettings] = useState(first);
  const put = (change: Partial<RevenueSettings>) => setSettings({ ...settings, ...change });
  const problem = issuesOf(revenueSettingsSchema.safeParse(settings))[0];
  const isSame = JSON.stringify({ ...settings, model: '' }) === JSON.stringify({ ...first, model: '' });
  return (
    <Dialog
      isOpen
      onClose={onClose}
      width={680}
      title="How revenue is counted"
      about="For the whole store. All models are computed for every order; what is changed here but the model has the ledger computed anew, from the events."
    >
      <form
        className="grid gap-4"
        onSubmit={(event) => {
          event.preventDefault();
          if (problem) return;
          void attempt(
            async () => {
              await api('/revenue/settings', { method: 'PUT', body: settings });
              onSaved();
            },
            isSame ? 'Saved.' : 'Saved. The ledger is being computed anew.',
          );
        }}
      >
        <div className="grid grid-cols-2 gap-3">
          <Field label="Model that is shown" hint={MODEL_WORDS[settings.model].says}>
            <select value={settings.model} onChange={(event) => put({ model: event.target.value as CreditModel })} className={inputClass}>
              {CREDIT_MODELS.map((one) => (
                <option key={one} value={one}>
                  {MODEL_WORDS[one].name}
                </option>
              ))}
            </select>
          </Field>
          <Field label="Half-life of time decay, days" hint="A message so long before the last one counts half as much">
            <NumberField min={0.1} max={90} step="any" value={settings.halfLifeDays} onChange={(halfLifeDays) => put({ halfLifeDays })} />
          </Field>
        </div>
        <fieldset className="grid gap-2">
          <legend className="font-semibold">For how many days an order counts</legend>
          <table className="w-full">
            <thead>
              <tr className="text-left text-xs text-soft">
                <th className="font-normal">Channel</th>
                {DEEDS.map((deed) => (
                  <th key={deed} className="font-normal">
                    {DEED_WORDS[deed]}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {CHANNELS.map((channel) => (
                <tr key={channel}>
                  <th scope="row" className="py-1 text-left font-normal">
                    {CHANNEL_WORDS[channel].name}
                  </th>
                  {DEEDS.map((deed) => (
                    <td key={deed} className="py-1 pr-3">
                      <input
                        type="number"
                        min={0}
                        max={90}
                        step="any"
                        aria-label={`${CHANNEL_WORDS[channel].name}, days ${DEED_WORDS[deed]}`}
                        value={settings.windows[channel][deed] ?? ''}
                        placeholder="not at all"
                        onChange={(event) =>
                          put({
                            windows: {
                              ...settings.windows,
                              [channel]: {
                                ...settings.windows[channel],
                                [deed]: event.target.value === '' || Number(event.target.value) === 0 ? null : Number(event.target.value),
                              },
                            },
                          })
                        }
                        className={`${fieldClass} w-36`}
                      />
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </fieldset>
        <fieldset className="grid gap-2">
          <legend className="font-semibold">What of an order counts</legend>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={settings.without.tax}
              onChange={(event) => put({ without: { ...settings.without, tax: event.target.checked } })}
            />
            Without its tax
          </label>
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={settings.without.shipping}
              onChange={(event) => put({ without: { ...settings.without, shipping: event.target.checked } })}
            />
            Without its shipping
          </label>
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={settings.beforeDiscount} onChange={(event) => put({ beforeDiscount: event.target.checked })} />
            As if no discount had been given
          </label>
          <p className="text-xs text-soft">
            Tax and shipping are what the shop tells of an order (tax, shipping); what it does not tell is nothing.
          </p>
        </fieldset>
        <Field label="What is paid back, or cancelled, is taken off">
          <select
            value={settings.paidBack}
            onChange={(event) => put({ paidBack: event.target.value as RevenueSettings['paidBack'] })}
            className={inputClass}
          >
            <option value="on-order">on the day of the order</option>
            <option value="on-day">on the day on which it happened</option>
          </select>
        </Field>
        <p className="text-sm text-soft">Every figure is then: {sayCounted(settings)}.</p>
        {problem && (
          <p role="alert" className="text-stop">
            {problem.path}: {problem.message}
          </p>
        )}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button changes="/revenue/settings" type="submit" kind="primary" disabled={Boolean(problem)}>
            Save
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
