'use client';

import { useQuery } from '@tanstack/react-query';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useMemo, useState } from 'react';
import type { FlowListItem, FlowListView } from '@/core/api';
import { sayMoney } from '@/core/money';
import { api, Empty, Failed, fieldClass, NotKnown, plural, sayCount, SortHead, Spark, StateSignal, type Sorting } from '../kit';

type Column = 'name' | 'state' | 'inside' | 'sent' | 'entered' | 'revenue' | 'each';

const valueOf: Record<Column, (flow: FlowListItem) => number | string> = {
  name: (flow) => flow.name.toLowerCase(),
  state: (flow) => ['on', 'paused', 'draft'].indexOf(flow.state),
  inside: (flow) => flow.inside,
  sent: (flow) => flow.sent24h,
  entered: (flow) => flow.entered,
  revenue: (flow) => flow.revenue.minor,
  each: (flow) => (flow.entered ? flow.revenue.minor / flow.entered : -1),
};

/** All flows with their state and figures. */
export function FlowsTable({ initial }: { initial: FlowListView }) {
  const router = useRouter();
  const { data, error, refetch } = useQuery({
    queryKey: ['flows'],
    queryFn: () => api<FlowListView>('/flows'),
    initialData: initial,
    refetchInterval: 10_000,
  });
  const [words, setWords] = useState('');
  const [state, setState] = useState('');
  const [sorting, setSorting] = useState<Sorting<Column>>({ column: 'revenue', isDown: true });

  const shown = useMemo(() => {
    const wanted = words.trim().toLowerCase();
    const of = valueOf[sorting.column];
    return data.flows
      .filter((flow) => (!state || flow.state === state) && (!wanted || `${flow.name} ${flow.trigger}`.toLowerCase().includes(wanted)))
      .sort((a, b) => {
        const [x, y] = [of(a), of(b)];
        return (x < y ? -1 : x > y ? 1 : 0) * (sorting.isDown ? -1 : 1);
      });
  }, [data, words, state, sorting]);

  if (error && !data) return <Failed error={error} retry={() => void refetch()} />;
  const total = data.flows.reduce((sum, flow) => sum + flow.revenue.minor, 0);
  const head = { sorting, onSort: setSorting };
  return (
    <div className="mx-auto max-w-[1280px] px-6 py-5">
      <div className="mb-4 flex items-end gap-6">
        <div className="min-w-0">
          <h1 className="text-xl font-semibold">Flows</h1>
          <p className="text-soft">
            {plural(data.flows.filter((flow) => flow.state === 'on').length, 'flow is', 'flows are')} on. In the last 30 days they were
            credited with {sayMoney({ currency: data.flows[0]?.revenue.currency ?? 'EUR', minor: total })}.
          </p>
        </div>
        <div className="flex-1" />
        <input
          type="search"
          aria-label="Filter by words"
          placeholder="Filter by name or trigger"
          value={words}
          onChange={(event) => setWords(event.target.value)}
          className={`${fieldClass} w-60`}
        />
        <select
          aria-label="Filter by state"
          value={state}
          onChange={(event) => setState(event.target.value)}
          className={`${fieldClass} w-36`}
        >
          <option value="">Every state</option>
          <option value="on">On</option>
          <option value="paused">Paused</option>
          <option value="draft">Draft</option>
        </select>
      </div>
      <div className="overflow-x-auto rounded-md border border-line bg-panel">
        <table className="w-full">
          <thead className="border-b border-line text-xs text-soft">
            <tr>
              <SortHead column="state" {...head} className="pl-4">
                State
              </SortHead>
              <SortHead column="name" {...head}>
                Flow
              </SortHead>
              <SortHead column="inside" isNumber {...head}>
                Inside now
              </SortHead>
              <SortHead column="sent" isNumber {...head}>
                Sent, 24 hours
              </SortHead>
              <SortHead column="entered" isNumber {...head}>
                Entered, 30 days
              </SortHead>
              <SortHead column="revenue" isNumber {...head}>
                Revenue, 30 days
              </SortHead>
              <SortHead column="each" isNumber {...head}>
                Revenue per person
              </SortHead>
              <th scope="col" className="px-4 py-2">
                By day
              </th>
            </tr>
          </thead>
          <tbody>
            {shown.map((flow) => (
              <tr
                key={flow.key}
                className="cursor-pointer border-b border-line last:border-0 hover:bg-wash"
                onClick={() => router.push(`/flows/${flow.key}`)}
              >
                <td className="py-3 pl-4 pr-3 align-top">
                  <StateSignal state={flow.state} />
                </td>
                <td className="px-3 py-3 align-top">
                  <Link href={`/flows/${flow.key}`} className="font-semibold hover:underline" onClick={(event) => event.stopPropagation()}>
                    {flow.name}
                  </Link>
                  {flow.hasChanges && <span className="ml-2 text-xs text-caution">draft differs</span>}
                  <div className="max-w-[380px] text-xs text-soft">{flow.trigger}</div>
                </td>
                <td className="num whitespace-nowrap px-3 py-3 align-top">
                  {flow.version === null ? <NotKnown what="never on" /> : plural(flow.inside, 'person', 'people')}
                </td>
                <td className="num whitespace-nowrap px-3 py-3 align-top">
                  {flow.version === null ? '' : plural(flow.sent24h, 'message', 'messages')}
                </td>
                <td className="num whitespace-nowrap px-3 py-3 align-top">{flow.version === null ? '' : sayCount(flow.entered)}</td>
                <td className="num whitespace-nowrap px-3 py-3 align-top font-semibold">
                  {flow.version === null ? '' : sayMoney(flow.revenue)}
                </td>
                <td className="num whitespace-nowrap px-3 py-3 align-top">
                  {flow.version === null ? (
                    ''
                  ) : flow.entered ? (
                    sayMoney({ ...flow.revenue, minor: Math.round(flow.revenue.minor / flow.entered) })
                  ) : (
                    <NotKnown what="nobody entered" />
                  )}
                </td>
                <td className="px-4 py-2">
                  {flow.version !== null && (
                    <Spark
                      values={flow.daily}
                      label={`Revenue of ${flow.name} by day, last 30 days`}
                      say={(value) => sayMoney({ ...flow.revenue, minor: value })}
                    />
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        {!shown.length && (
          <Empty title={data.flows.length ? 'No flow matches' : 'No flows yet'}>
            {data.flows.length
              ? 'Take a word or the state out of the filter.'
              : 'A flow is created by sending its document to the API: PUT /api/v1/flows/{key}.'}
          </Empty>
        )}
      </div>
    </div>
  );
}
