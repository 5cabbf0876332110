'use client';

import { useQuery } from '@tanstack/react-query';
import { TriangleAlert } from 'lucide-react';
import { useMemo } from 'react';
import type { TypeDetail } from '@/core/api';
import { sayEvent } from '@/core/rules';
import { api, Empty, Failed, Page, Part, plural, sayCount, sayMoment, sayShare, Table, type TableColumn, useStore, Link } from '../kit';

const KINDS: Record<string, string> = { string: 'text', number: 'number', boolean: 'yes or no', array: 'list', object: 'group' };

type Property = TypeDetail['list'][number];

const kindsOf = (one: Property) => Object.entries(one.kinds).sort((a, b) => b[1] - a[1]);
const shareIn = (one: Property, count: number) => Math.min(one.count, count) / Math.max(1, count);

function Found({ values }: { values: Property['values'] }) {
  const line = (value: Property['values'][number]) => (
    <div key={value.value} className="flex justify-between gap-4">
      <span className="truncate">{value.value === '' ? 'empty' : value.value}</span>
      <span className="tabular text-soft">{sayCount(value.count)}</span>
    </div>
  );
  if (!values.length) return <span className="text-soft">all different, or too long to tell apart</span>;
  return (
    <>
      {values.slice(0, 6).map(line)}
      {values.length > 6 && (
        <details>
          <summary className="text-xs text-accent">{plural(values.length - 6, 'more value', 'more values')}</summary>
          {values.slice(6).map(line)}
        </details>
      )}
    </>
  );
}

const columnsOf = (count: number): TableColumn<Property>[] => [
  {
    key: 'name',
    name: 'Property',
    value: (one) => one.name,
    className: 'font-mono text-xs font-semibold',
  },
  {
    key: 'kind',
    name: 'Kind',
    value: (one) =>
      kindsOf(one)
        .map(([kind]) => KINDS[kind] ?? kind)
        .join(', '),
    show: (one) =>
      kindsOf(one).map(([kind, times], index) => (
        <div key={kind} className={index ? 'text-xs text-caution' : ''}>
          {KINDS[kind] ?? kind}
          {index > 0 && ` in ${sayCount(times)}`}
        </div>
      )),
  },
  {
    key: 'share',
    name: 'Present in',
    isNumber: true,
    unit: 'share',
    value: (one) => shareIn(one, count),
    show: (one) => sayShare(shareIn(one, count), 1),
  },
  {
    key: 'values',
    name: 'Values found most',
    value: (one) => one.values.map((value) => value.value).join(', ') || null,
    show: (one) => <Found values={one.values} />,
    className: 'text-sm',
  },
];

/** One event type: its properties, their kinds and values, what uses it, and values that are asked for and never occurred. */
export function TypeScreen({ id }: { id: string }) {
  const store = useStore();
  const { data, error, refetch } = useQuery({
    queryKey: ['catalogue', id],
    queryFn: () => api<TypeDetail>(`/catalogue/${encodeURIComponent(id)}`),
    refetchInterval: 10_000,
  });
  const columns = useMemo(() => columnsOf(data?.count ?? 0), [data?.count]);
  if (error)
    return (
      <Page title={id} back={{ href: '/data/events', name: 'Event catalogue' }}>
        <Failed error={error} retry={() => void refetch()} />
      </Page>
    );
  if (!data) return <Empty title="Loading…" />;
  return (
    <Page
      title={<span className="font-mono">{id}</span>}
      back={{ href: '/data/events', name: 'Event catalogue' }}
      about={
        <>
          A person {sayEvent(id)}: {plural(data.count, 'time', 'times')} between {sayMoment(data.firstAt, store.zone)} and{' '}
          {sayMoment(data.lastAt, store.zone)}.
        </>
      }
    >
      {data.warnings.map((warning, index) => (
        <p key={index} className="mb-3 flex items-start gap-2 rounded-md border border-line bg-panel px-3 py-2">
          <TriangleAlert size={16} aria-hidden="true" className="mt-0.5 shrink-0 text-caution" />
          <span>
            <b>{warning.says}.</b> {warning.mend}.{' '}
            <Link href={`/flows/${warning.flow}`} className="text-accent underline">
              To the flow
            </Link>
          </span>
        </p>
      ))}
      <div className="grid grid-cols-[1fr_340px] items-start gap-5">
        <div className="rounded-md border border-line bg-panel">
          <Table name={`Properties of ${id}`} rows={data.list} columns={columns} keyOf={(one) => one.name} />
          {!data.list.length && <Empty title="It carries no properties" />}
        </div>
        <Part title="Used by">
          {data.uses.length ? (
            <ul className="grid gap-1 p-4 text-sm">
              {data.uses.map((use, index) => (
                <li key={index}>
                  <Link href={`/flows/${use.key}`} className="font-semibold hover:underline">
                    {use.name}
                  </Link>
                  : {use.where}
                </li>
              ))}
            </ul>
          ) : (
            <p className="p-4 text-soft">No flow looks at it.</p>
          )}
        </Part>
      </div>
    </Page>
  );
}
