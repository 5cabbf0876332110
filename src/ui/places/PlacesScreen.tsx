'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { toast } from 'sonner';
import type { CountryGroupsView, PlacesView, RatesView } from '@/core/api';
import { COUNTRY_GROUPS, sayCountry, type CountryGroup } from '@/core/places';
import { slugOf } from '@/core/text';
import {
  api,
  ApiError,
  areaClass,
  Ask,
  Button,
  Empty,
  Failed,
  Field,
  inputClass,
  Page,
  Part,
  plural,
  sayCalendarDay,
  sayCount,
} from '../kit';

/** What rules look up that is about nobody: groups of countries, what currencies were worth, where postcodes lie. */
export function PlacesScreen() {
  return (
    <Page
      title="Places and currencies"
      about="What rules look up beside what is known of people. When it changes, segments that ask for it are built anew."
    >
      <div className="grid grid-cols-2 items-start gap-5">
        <Groups />
        <div className="grid gap-5">
          <Rates />
          <Postcodes />
        </div>
      </div>
    </Page>
  );
}

const names = (codes: readonly string[]): string => codes.map(sayCountry).join(', ');

function Groups() {
  const client = useQueryClient();
  const { data, error, refetch } = useQuery({ queryKey: ['country-groups'], queryFn: () => api<CountryGroupsView>('/country-groups') });
  const [edited, setEdited] = useState<CountryGroup | 'new' | null>(null);
  const [removed, setRemoved] = useState<CountryGroup | null>(null);
  return (
    <Part
      title="Countries together"
      acts={
        <Button changes="/country-groups" onClick={() => setEdited('new')}>
          Create group
        </Button>
      }
    >
      {error ? (
        <Failed error={error} retry={() => void refetch()} />
      ) : (
        <ul>
          {data?.groups.map((group) => (
            <li key={group.key} className="flex items-start gap-3 border-b border-line px-4 py-2">
              <span className="min-w-0 flex-1">
                <b>{group.name}</b> <span className="text-soft">{plural(group.codes.length, 'country', 'countries')}</span>
                <span className="block text-soft">{names(group.codes)}</span>
              </span>
              <Button changes="/country-groups" kind="quiet" aria-label={`Edit ${group.name}`} onClick={() => setEdited(group)}>
                Edit
              </Button>
              <Button changes="/country-groups" kind="quiet" aria-label={`Remove ${group.name}`} onClick={() => setRemoved(group)}>
                Remove
              </Button>
            </li>
          ))}
          {data?.groups.length === 0 && (
            <li className="border-b border-line px-4 py-2 text-soft">
              No groups of your own yet: those that you ship to, say. A rule then asks whether somebody’s country is in one.
            </li>
          )}
          {Object.entries(COUNTRY_GROUPS).map(([key, { name, codes }]) => (
            <li key={key} className="border-b border-line px-4 py-2 last:border-0">
              <b>{name.replace(/^t/, 'T')}</b>{' '}
              <span className="text-soft">{plural(codes.length, 'country', 'countries')}, always there</span>
              <span className="block text-soft">{names(codes)}</span>
            </li>
          ))}
        </ul>
      )}
      {edited && (
        <GroupDialog
          group={edited === 'new' ? null : edited}
          onClose={() => setEdited(null)}
          onSaved={(groups) => client.setQueryData(['country-groups'], groups)}
        />
      )}
      <Ask
        isOpen={removed !== null}
        onClose={() => setRemoved(null)}
        title={`Remove “${removed?.name ?? ''}”?`}
        about="No rule may ask for it. People keep their countries."
        act="Remove"
        isDanger
        onAct={async () => {
          await api(`/country-groups/${removed!.key}`, { method: 'DELETE' });
          await client.invalidateQueries({ queryKey: ['country-groups'] });
        }}
      />
    </Part>
  );
}

function GroupDialog({
  group,
  onClose,
  onSaved,
}: {
  group: CountryGroup | null;
  onClose: () => void;
  onSaved: (groups: CountryGroupsView) => void;
}) {
  const [name, setName] = useState(group?.name ?? '');
  const [countries, setCountries] = useState(group ? names(group.codes) : '');
  return (
    <Ask
      isOpen
      onClose={onClose}
      title={group ? `Edit “${group.name}”` : 'Create group'}
      act={group ? 'Save' : 'Create'}
      canAct={name.trim() !== '' && countries.trim() !== ''}
      onAct={async () => {
        const list = countries.split(/[,;\n]/).map((one) => one.trim());
        onSaved(
          await api<CountryGroupsView>(`/country-groups/${group?.key ?? (slugOf(name, 60) || 'group')}`, {
            method: 'PUT',
            body: { name, countries: list.filter(Boolean) },
          }),
        );
      }}
    >
      <div className="grid gap-4">
        <Field label="Name">
          <input
            value={name}
            maxLength={60}
            placeholder="Where we ship to"
            onChange={(event) => setName(event.target.value)}
            className={inputClass}
          />
        </Field>
        <Field label="Countries" hint="Names or codes of two letters, with commas between.">
          <textarea
            rows={4}
            value={countries}
            placeholder="Netherlands, BE, Luxembourg"
            onChange={(event) => setCountries(event.target.value)}
            className={areaClass}
          />
        </Field>
      </div>
    </Ask>
  );
}

/** What was wrong, with its place. */
const problemOf = (error: unknown): string =>
  error instanceof ApiError && error.problem.errors?.length
    ? error.problem.errors.map(({ field, wrong, right }) => `${field} ${wrong}: ${right}.`).join('\n')
    : (error as Error).message;

/** A button that takes a CSV file, and says line by line what of it cannot be read. */
function Load({ name, columns, onLoad }: { name: string; columns: string; onLoad: (csv: string) => Promise<unknown> }) {
  const input = useRef<HTMLInputElement>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const [isBusy, setBusy] = useState(false);
  const load = async (file: File) => {
    setBusy(true);
    setProblem(null);
    try {
      await onLoad(await file.text());
      toast.success(`${file.name} is on file.`);
    } catch (error) {
      setProblem(problemOf(error));
    } finally {
      setBusy(false);
    }
  };
  return (
    <div className="grid gap-2 border-t border-line p-4">
      <div className="flex items-center gap-3">
        <input
          ref={input}
          type="file"
          accept=".csv,text/csv"
          aria-label={`${name} as CSV`}
          className="sr-only"
          tabIndex={-1}
          onChange={(event) => {
            const file = event.target.files?.[0];
            event.target.value = '';
            if (file) void load(file);
          }}
        />
        <Button changes="/places" disabled={isBusy} onClick={() => input.current?.click()}>
          {isBusy ? 'One moment…' : `Load ${name.toLowerCase()} …`}
        </Button>
        <span className="text-soft">
          CSV with the columns <code>{columns}</code>
        </span>
      </div>
      {problem && (
        <p role="alert" className="whitespace-pre-line text-stop">
          {problem}
        </p>
      )}
    </div>
  );
}

function Rates() {
  const client = useQueryClient();
  const { data, error, refetch } = useQuery({ queryKey: ['currency-rates'], queryFn: () => api<RatesView>('/currency-rates') });
  const [removed, setRemoved] = useState<RatesView['rates'][number] | null>(null);
  return (
    <Part title="What currencies were worth">
      {error && <Failed error={error} retry={() => void refetch()} />}
      {!error && !data && <Empty title="Loading…" />}
      {data &&
        (data.rates.length ? (
          <table className="w-full">
            <thead>
              <tr className="border-b border-line text-left text-xs text-soft">
                <th className="px-4 py-2 font-semibold">Currency</th>
                <th className="px-4 py-2 text-right font-semibold">In {data.currency}</th>
                <th className="px-4 py-2 font-semibold">Days</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {data.rates.map((one) => (
                <tr key={one.currency} className="border-b border-line last:border-0">
                  <td className="px-4 py-1.5">{one.currency}</td>
                  <td className="tabular px-4 py-1.5 text-right">{one.rate}</td>
                  <td className="px-4 py-1.5">
                    {sayCount(one.days)}, {sayCalendarDay(one.first)} to {sayCalendarDay(one.last)}
                  </td>
                  <td className="px-2 text-right">
                    <Button changes="/currency-rates" kind="quiet" aria-label={`Remove ${one.currency}`} onClick={() => setRemoved(one)}>
                      Remove
                    </Button>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        ) : (
          <Empty title="No rates yet">Orders in another currency than {data.currency} are counted, and left out of amounts.</Empty>
        ))}
      <Ask
        isOpen={removed !== null}
        onClose={() => setRemoved(null)}
        title={`Remove the rates of ${removed?.currency ?? ''}?`}
        about={
          `Of ${plural(removed?.days ?? 0, 'day', 'days')}. Orders in this currency are then left out of amounts; ` +
          'load the table again to bring them back.'
        }
        act="Remove"
        isDanger
        onAct={async () => {
          await api(`/currency-rates/${removed!.currency}`, { method: 'DELETE' });
          await refetch();
        }}
      />
      <Load
        name="Rates"
        columns="currency, day, rate"
        onLoad={async (csv) =>
          client.setQueryData(['currency-rates'], await api<RatesView>('/currency-rates', { method: 'PUT', body: { csv } }))
        }
      />
    </Part>
  );
}

function Postcodes() {
  const client = useQueryClient();
  const { data, error, refetch } = useQuery({ queryKey: ['places-on-file'], queryFn: () => api<PlacesView>('/places') });
  const [removed, setRemoved] = useState<PlacesView['countries'][number] | null>(null);
  return (
    <Part title="Where postcodes lie">
      {error && <Failed error={error} retry={() => void refetch()} />}
      {!error && !data && <Empty title="Loading…" />}
      {data &&
        (data.total ? (
          <ul>
            {data.countries.map((one) => (
              <li key={one.country} className="flex items-center gap-3 border-b border-line px-4 py-1.5 last:border-0">
                <span className="flex-1">{sayCountry(one.country)}</span>
                <span className="tabular">{plural(one.places, 'postcode', 'postcodes')}</span>
                <Button
                  changes="/places"
                  kind="quiet"
                  aria-label={`Remove the postcodes of ${sayCountry(one.country)}`}
                  onClick={() => setRemoved(one)}
                >
                  Remove
                </Button>
              </li>
            ))}
          </ul>
        ) : (
          <Empty title="No postcodes yet">
            A rule then asks who lives within so many kilometres or miles, by the attributes “postcode” and “country”.
          </Empty>
        ))}
      <Ask
        isOpen={removed !== null}
        onClose={() => setRemoved(null)}
        title={`Remove the postcodes of ${removed ? sayCountry(removed.country) : ''}?`}
        about={
          `${plural(removed?.places ?? 0, 'postcode', 'postcodes')}. Where people with one of them live is then not known; ` +
          'load the table again to bring them back.'
        }
        act="Remove"
        isDanger
        onAct={async () => {
          await api(`/places/${removed!.country}`, { method: 'DELETE' });
          await refetch();
        }}
      />
      <Load
        name="Postcodes"
        columns="country, postcode, latitude, longitude"
        onLoad={async (csv) => client.setQueryData(['places-on-file'], await api<PlacesView>('/places', { method: 'PUT', body: { csv } }))}
      />
    </Part>
  );
}
