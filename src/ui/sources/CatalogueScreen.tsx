'use client';

import { useQuery } from '@tanstack/react-query';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import type { TypeView } from '@/core/api';
import { sayEvent } from '@/core/rules';
import {
  api,
  Empty,
  Failed,
  fieldClass,
  Page,
  plural,
  sayCount,
  sayMoment,
  SortHead,
  tdClass,
  thClass,
  useStore,
  type Sorting,
} from '../kit';

type Column = 'type' | 'count' | 'last' | 'uses';
const of: Record<Column, (one: TypeView) => string | number> = {
  type: (one) => one.type,
  count: (one) => one.count,
  last: (one) => one.lastAt,
  uses: (one) => one.uses.length,
};

/** Every event type that has been seen, with what uses it. */
export function CatalogueScreen() {
  const store = useStore();
  const router = useRouter();
  const { data, error, refetch } = useQuery({
    queryKey: ['catalogue'],
    queryFn: () => api<{ types: TypeView[] }>('/catalogue'),
    refetchInterval: 10_000,
  });
  const [words, setWords] = useState('');
  const [sorting, setSorting] = useState<Sorting<Column>>({ column: 'count', isDown: true });
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  const shown = (data?.types ?? [])
    .filter((one) => one.type.includes(words.trim().toLowerCase()))
    .sort((a, b) => {
      const [x, y] = [of[sorting.column](a), of[sorting.column](b)];
      return (x < y ? -1 : x > y ? 1 : 0) * (sorting.isDown ? -1 : 1);
    });
  const head = { sorting, onSort: setSorting };
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
      <div className="overflow-x-auto rounded-md border border-line bg-panel">
        <table className="w-full">
          <thead className="border-b border-line text-xs text-soft">
            <tr>
              <SortHead column="type" {...head} className="pl-4">
                Type
              </SortHead>
              <SortHead column="count" isNumber {...head}>
                Times, ever
              </SortHead>
              <th scope="col" className={`${thClass} text-right`}>
                Properties
              </th>
              <th scope="col" className={`${thClass} text-right`}>
                First seen
              </th>
              <SortHead column="last" isNumber {...head}>
                Last seen
              </SortHead>
              <SortHead column="uses" {...head}>
                Used by
              </SortHead>
            </tr>
          </thead>
          <tbody>
            {shown.map((one) => (
              <tr
                key={one.type}
                className="cursor-pointer border-b border-line last:border-0 hover:bg-wash"
                onClick={() => router.push(`/data/events/${one.type}`)}
              >
                <td className={tdClass}>
                  <Link
                    href={`/data/events/${one.type}`}
                    className="font-mono font-semibold hover:underline"
                    onClick={(event) => event.stopPropagation()}
                  >
                    {one.type}
                  </Link>
                  <div className="text-xs text-soft">{sayEvent(one.type)}</div>
                </td>
                <td className={`${tdClass} num`}>{sayCount(one.count)}</td>
                <td className={`${tdClass} num`}>{sayCount(one.properties)}</td>
                <td className={`${tdClass} num`}>{sayMoment(one.firstAt, store.zone)}</td>
                <td className={`${tdClass} num`}>{sayMoment(one.lastAt, store.zone)}</td>
                <td className={`${tdClass} text-sm`}>
                  {one.uses.length ? (
                    <span title={one.uses.map((use) => `${use.name}: ${use.where}`).join('\n')}>
                      {[...new Set(one.uses.map((use) => use.name))].join(', ')}{' '}
                      <span className="text-soft">({plural(one.uses.length, 'place', 'places')})</span>
                    </span>
                  ) : (
                    <span className="text-soft">nothing</span>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
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
