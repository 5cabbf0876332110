'use client';

import { X } from 'lucide-react';
import { useState } from 'react';
import { keptSchema, storeInput, type Kept, type StoreSettingsView } from '@/core/api';
import { LANGUAGES, nameOfLanguage } from '@/core/messages';
import { SAID_IN } from '@/core/tongue';
import { api, areaClass, attempt, Ask, Button, Field, inputClass, Link, NumberField, Page, Part, sayNames } from '../kit';

/** What can be changed of what the store says of itself. */
const saidOf = ({ name, address, fromEmail, languages }: StoreSettingsView) => ({ name, address, fromEmail, languages: [...languages] });

/** What the store says of itself, how long things are kept, and where else people's data is looked after. */
export function StoreScreen({ initial }: { initial: StoreSettingsView }) {
  const [kept, setKept] = useState(initial);
  const [store, setStore] = useState(saidOf(initial));
  const [times, setTimes] = useState<Kept>(initial.kept);
  const [isAsking, setAsking] = useState(false);
  const checked = storeInput.safeParse(store);
  const wrong = (field: keyof typeof store) => checked.error?.issues.find(({ path }) => path[0] === field)?.message ?? null;
  const isOther = JSON.stringify(store) !== JSON.stringify(saidOf(kept));
  const isShorter =
    times.bodiesDays < kept.kept.bodiesDays ||
    (times.browsingMonths ?? Infinity) < (kept.kept.browsingMonths ?? Infinity) ||
    (times.tracesMonths ?? Infinity) < (kept.kept.tracesMonths ?? Infinity);
  const saveTimes = async () => {
    const next = await api<StoreSettingsView>('/store/kept', { method: 'PUT', body: times });
    setKept(next);
    setTimes(next.kept);
    setAsking(false);
  };
  return (
    <Page title="Store and privacy" about="What the store says of itself in letters, and how long what it knows is kept.">
      <div className="grid gap-4">
        <Part title="Store">
          <form
            className="grid max-w-[560px] gap-3 p-4"
            onSubmit={(event) => {
              event.preventDefault();
              void attempt(async () => {
                const next = await api<StoreSettingsView>('/store', { method: 'PUT', body: store });
                setKept(next);
                setStore(saidOf(next));
              }, 'Saved. Letters say it from now on.');
            }}
          >
            <Field label="Name" problem={wrong('name')}>
              <input
                value={store.name}
                maxLength={80}
                onChange={(event) => setStore({ ...store, name: event.target.value })}
                className={inputClass}
              />
            </Field>
            <Field label="Postal address" hint="It stands in every marketing letter, as the law asks." problem={wrong('address')}>
              <textarea
                rows={2}
                maxLength={300}
                value={store.address}
                onChange={(event) => setStore({ ...store, address: event.target.value })}
                className={areaClass}
              />
            </Field>
            <Field label="Writes as" hint="Who letters are from where they name no sender of their own." problem={wrong('fromEmail')}>
              <input
                type="email"
                value={store.fromEmail}
                maxLength={254}
                onChange={(event) => setStore({ ...store, fromEmail: event.target.value })}
                className={inputClass}
              />
            </Field>
            <Languages languages={store.languages} onChange={(languages) => setStore({ ...store, languages })} />
            <p className="text-soft">
              Its logo, colours and fonts stand in its{' '}
              <Link href="/messages/brand" className="text-accent underline">
                brands
              </Link>
              , one of which letters are set in.
            </p>
            <p className="text-soft">
              Its clocks are those of {kept.zone}, its money is {kept.currency}: said when the store was made, since every day and every sum
              is reckoned by them.
            </p>
            <div className="flex gap-2">
              <Button changes="/store" type="submit" kind="primary" disabled={!isOther || !checked.success}>
                Save
              </Button>
              <Button disabled={!isOther} onClick={() => setStore(saidOf(kept))}>
                Cancel
              </Button>
            </div>
          </form>
        </Part>
        <Part title="How long things are kept">
          <div className="grid max-w-[560px] gap-3 p-4">
            <Field label="Bodies of webhooks, refused events and bad rows of files, days">
              <NumberField
                min={1}
                max={365}
                step={1}
                value={times.bodiesDays}
                onChange={(bodiesDays) => setTimes({ ...times, bodiesDays: Math.round(bodiesDays) })}
              />
            </Field>
            <Months
              label="What people looked at and searched for"
              hint="Orders, messages and consent are never forgotten by time."
              least={3}
              value={times.browsingMonths}
              onChange={(browsingMonths) => setTimes({ ...times, browsingMonths })}
            />
            <Months
              label="Why each decision of a flow was made, after its end"
              least={1}
              value={times.tracesMonths}
              onChange={(tracesMonths) => setTimes({ ...times, tracesMonths })}
            />
            <div className="flex gap-2">
              <Button
                changes="/store"
                kind="primary"
                disabled={JSON.stringify(times) === JSON.stringify(kept.kept) || !keptSchema.safeParse(times).success}
                onClick={() => (isShorter ? setAsking(true) : void attempt(saveTimes, 'Saved.'))}
              >
                Save
              </Button>
            </div>
          </div>
        </Part>
        <Part title="Where else people’s data is looked after">
          <ul className="grid gap-1 p-4">
            {(
              [
                ['/data/consent', 'Consent, topics, and whether openings and clicks are counted'],
                ['/data/attributes', 'What is kept about people, by name'],
                ['/people', 'One person: what is on file, as a file, and erased'],
                ['/settings/log', 'Who did what'],
                ['/settings/team', 'Who works here'],
              ] as const
            ).map(([href, words]) => (
              <li key={href}>
                <Link href={href} className="text-accent underline">
                  {words}
                </Link>
              </li>
            ))}
          </ul>
        </Part>
      </div>
      <Ask
        isOpen={isAsking}
        onClose={() => setAsking(false)}
        title="Keep it for less long?"
        about="What is older goes within a day, and does not come back: it cannot be asked for in rules, and no backtest finds it."
        act="Save"
        isDanger
        onAct={saveTimes}
      />
    </Page>
  );
}

function Months({
  label,
  hint,
  least,
  value,
  onChange,
}: {
  label: string;
  hint?: string;
  least: number;
  value: number | null;
  onChange: (months: number | null) => void;
}) {
  return (
    <Field label={label} {...(hint && { hint })}>
      <span className="flex items-center gap-3">
        <select
          aria-label={`${label}: how long`}
          value={value === null ? 'ever' : 'months'}
          onChange={(event) => onChange(event.target.value === 'ever' ? null : 24)}
          className={inputClass}
        >
          <option value="ever">for ever</option>
          <option value="months">for so many months</option>
        </select>
        {value !== null && (
          <NumberField
            aria-label={`${label}: months`}
            min={least}
            max={120}
            step={1}
            value={value}
            onChange={(months) => onChange(Math.max(least, Math.round(months)))}
          />
        )}
      </span>
    </Field>
  );
}

/** The languages in which the store writes: the first is the usual one, messages are offered in versions of the others. */
function Languages({ languages, onChange }: { languages: readonly string[]; onChange: (languages: string[]) => void }) {
  const left = LANGUAGES.filter((code) => !languages.includes(code));
  const unsaid = languages.filter((code) => !SAID_IN.includes(code));
  return (
    <fieldset className="grid gap-1.5">
      <legend className="mb-1 text-xs font-semibold text-soft">Languages</legend>
      <ul className="flex flex-wrap gap-1.5">
        {languages.map((code, at) => (
          <li key={code} className="flex items-center gap-1 rounded-md border border-line pl-2">
            {nameOfLanguage(code)}
            {at === 0 ? (
              <span className="pr-2 text-xs text-soft">the usual one</span>
            ) : (
              <>
                <button
                  type="button"
                  className="px-1 text-xs text-accent underline"
                  onClick={() => onChange([code, ...languages.filter((one) => one !== code)])}
                >
                  Make it the usual one
                </button>
                <button
                  type="button"
                  aria-label={`Remove ${nameOfLanguage(code)}`}
                  className="grid h-7 w-7 place-items-center text-soft hover:text-ink"
                  onClick={() => onChange(languages.filter((one) => one !== code))}
                >
                  <X size={14} aria-hidden="true" />
                </button>
              </>
            )}
          </li>
        ))}
      </ul>
      <select
        aria-label="Add a language"
        value=""
        onChange={(event) => event.target.value && onChange([...languages, event.target.value])}
        className={inputClass}
      >
        <option value="">Add a language</option>
        {left.map((code) => (
          <option key={code} value={code}>
            {nameOfLanguage(code)}
          </option>
        ))}
      </select>
      <p className="text-xs text-soft">
        Messages of flows can have a version in each, for people whose attribute language says so. Whoever reads another gets the usual one.
        What letters and the pages behind them say by themselves, such as how to unsubscribe, is said in{' '}
        {sayNames(SAID_IN.map(nameOfLanguage))}
        {unsaid.length > 0 && `, so in English to readers of ${sayNames(unsaid.map(nameOfLanguage))}`}.
      </p>
    </fieldset>
  );
}
