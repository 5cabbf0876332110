'use client';

import { useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import type { TypeView } from '@/core/api';
import { sayEvent } from '@/core/rules';
import { api, Empty, Failed, fieldClass, isoOf, Page, plural, sayMoment, Table, type TableColumn, useStore, Link } from '../kit';

const namesOf = (one: TypeView) => [...new Set(one.uses.map((use) => use.name))].join(', ');

const columnsOf = (zone: string): TableColumn<TypeView>[] => [
  {
    key: 'type',
    name: 'Type',
    value: (one) => one.type,
    show: (one) => (
      <>
        <Link href={`/data/events/${one.type}`} className="font-mono font-semibold hover:underline">
          {one.type}
        </Link>
        <div className="text-xs text-soft">{sayEvent(one.type)}</div>
      </>
    ),
  },
  { key: 'count', name: 'Times, ever', isNumber: true, value: (one) => one.count },
  { key: 'properties', name: 'Properties', isNumber: true, value: (one) => one.properties },
  { key: 'first', name: 'First seen', isNumber: true, value: (one) => isoOf(one.firstAt), show: (one) => sayMoment(one.firstAt, zone) },
  { key: 'last', name: 'Last seen', isNumber: true, value: (one) => isoOf(one.lastAt), show: (one) => sayMoment(one.lastAt, zone) },
  {
    key: 'uses',
    name: 'Used by',
    value: (one) => namesOf(one) || null,
    show: (one) =>
      one.uses.length ? (
        <span title={one.uses.map((use) => `${use.name}: ${use.where}`).join('\n')}>
          {namesOf(one)} <span className="text-soft">({plural(one.uses.length, 'place', 'places')})</span>
        </span>
      ) : (
        <span className="text-soft">nothing</span>
      ),
    className: 'text-sm',
  },
];

/** Every event type that has been seen, with what uses it. */
export function CatalogueScreen() {
  const store = useStore();
  const { data, error, refetch } = useQuery({
    queryKey: ['catalogue'],
    queryFn: () => api<{ types: TypeView[] }>('/catalogue'),
    refetchInterval: 10_000,
  });
  const [words, setWords] = useState('');
  const columns = useMemo(() => columnsOf(store.zone), [store.zone]);
  const shown = useMemo(() => (data?.types ?? []).filter((one) => one.type.includes(words.trim().toLowerCase())), [data, words]);
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  return (
    <Page
      title="Event catalogue"
      about={
        <>
          Every type of event that has arrived, with its properties and the values found. It feeds the pickers everywhere, and the warnings
          about values that never occur.
        </>
      }
      acts={
        <input
          type="search"
          aria-label="Filter types"
          placeholder="Filter types"
          value={words}
          onChange={(event) => setWords(event.target.value)}
          className={`${fieldClass} w-52`}
        />
      }
    >
      <div className="rounded-md border border-line bg-panel">
        <Table
          name="Event types"
          rows={shown}
          columns={columns}
          keyOf={(one) => one.type}
          hrefOf={(one) => `/data/events/${one.type}`}
          first={{ column: 'count', isDown: true }}
        />
        {!data ? (
          <Empty title="Loading…" />
        ) : (
          !shown.length && (
            <Empty title={data.types.length ? 'No type matches' : 'No event has arrived yet'}>
              {data.types.length ? (
                'Take a word out.'
              ) : (
                <>
                  Types appear with their first event.{' '}
                  <Link href="/data" className="text-accent underline">
                    Connect a source
                  </Link>
                  .
                </>
              )}
            </Empty>
          )
        )}
      </div>
    </Page>
  );
}
