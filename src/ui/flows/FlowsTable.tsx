'use client';

import { useQuery } from '@tanstack/react-query';
import Link from 'next/link';
import { useMemo, useState, type ReactNode } from 'react';
import type { FlowListItem, FlowListView } from '@/core/api';
import { sayMoney, toMajor } from '@/core/money';
import { Plus } from 'lucide-react';
import { api, Button, Empty, Failed, fieldClass, NotKnown, plural, sayCount, Spark, StateSignal, Table, type TableColumn } from '../kit';
import { NewFlow } from './NewFlow';

const ORDER = ['on', 'paused', 'draft'];

/** What stands in a cell of a flow that was ever on; nothing is counted of a draft. */
const ofThoseOn = (show: (flow: FlowListItem) => ReactNode) => (flow: FlowListItem) => (flow.version === null ? '' : show(flow));
const each = (flow: FlowListItem) => (flow.entered ? flow.revenue.minor / flow.entered : null);

const columnsOf = (currency: string): TableColumn<FlowListItem>[] => [
  {
    key: 'state',
    name: 'State',
    value: (flow) => `${ORDER.indexOf(flow.state) + 1} ${flow.state}`,
    show: (flow) => <StateSignal state={flow.state} />,
  },
  {
    key: 'name',
    name: 'Flow',
    value: (flow) => flow.name,
    show: (flow) => (
      <>
        <Link href={`/flows/${flow.key}`} className="font-semibold hover:underline">
          {flow.name}
        </Link>
        {flow.hasChanges && <span className="ml-2 text-xs text-caution">draft differs</span>}
        <div className="max-w-[380px] text-xs text-soft">{flow.trigger}</div>
      </>
    ),
  },
  {
    key: 'inside',
    name: 'Inside now',
    isNumber: true,
    value: (flow) => (flow.version === null ? null : flow.inside),
    show: (flow) => (flow.version === null ? <NotKnown what="never on" /> : plural(flow.inside, 'person', 'people')),
    className: 'whitespace-nowrap',
  },
  {
    key: 'sent',
    name: 'Sent, 24 hours',
    isNumber: true,
    value: (flow) => (flow.version === null ? null : flow.sent24h),
    show: ofThoseOn((flow) => plural(flow.sent24h, 'message', 'messages')),
    className: 'whitespace-nowrap',
  },
  {
    key: 'entered',
    name: 'Entered, 30 days',
    isNumber: true,
    value: (flow) => (flow.version === null ? null : flow.entered),
    show: ofThoseOn((flow) => sayCount(flow.entered)),
  },
  {
    key: 'revenue',
    name: 'Revenue, 30 days',
    isNumber: true,
    unit: currency,
    value: (flow) => (flow.version === null ? null : toMajor(flow.revenue)),
    show: ofThoseOn((flow) => sayMoney(flow.revenue)),
    className: 'whitespace-nowrap font-semibold',
  },
  {
    key: 'each',
    name: 'Revenue per person',
    isNumber: true,
    unit: currency,
    value: (flow) => (each(flow) === null ? null : toMajor({ ...flow.revenue, minor: Math.round(each(flow)!) })),
    show: ofThoseOn((flow) =>
      each(flow) === null ? <NotKnown what="nobody entered" /> : sayMoney({ ...flow.revenue, minor: Math.round(each(flow)!) }),
    ),
    className: 'whitespace-nowrap',
  },
  {
    key: 'days',
    name: 'By day',
    show: ofThoseOn((flow) => (
      <Spark
        values={flow.daily}
        label={`Revenue of ${flow.name} by day, last 30 days`}
        say={(value) => sayMoney({ ...flow.revenue, minor: value })}
      />
    )),
  },
];

/** All flows with their state and figures. */
export function FlowsTable({ initial }: { initial: FlowListView }) {
  const { data, error, refetch } = useQuery({
    queryKey: ['flows'],
    queryFn: () => api<FlowListView>('/flows'),
    initialData: initial,
    refetchInterval: 10_000,
  });
  const [words, setWords] = useState('');
  const [state, setState] = useState('');
  const [isMaking, setMaking] = useState(false);

  const shown = useMemo(() => {
    const wanted = words.trim().toLowerCase();
    return data.flows.filter(
      (flow) => (!state || flow.state === state) && (!wanted || `${flow.name} ${flow.trigger}`.toLowerCase().includes(wanted)),
    );
  }, [data, words, state]);
  const currency = data.flows[0]?.revenue.currency ?? 'EUR';
  const columns = useMemo(() => columnsOf(currency), [currency]);

  if (error && !data) return <Failed error={error} retry={() => void refetch()} />;
  const total = data.flows.reduce((sum, flow) => sum + flow.revenue.minor, 0);
  return (
    <div className="mx-auto max-w-[1280px] px-6 py-5">
      <div className="mb-4 flex items-end gap-6">
        <div className="min-w-0">
          <h1 className="text-xl font-semibold">Flows</h1>
          <p className="text-soft">
            {plural(data.flows.filter((flow) => flow.state === 'on').length, 'flow is', 'flows are')} on. In the last 30 days they were
            credited with {sayMoney({ currency, minor: total })}.
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
        <Button kind="primary" onClick={() => setMaking(true)}>
          <Plus size={16} aria-hidden="true" /> New flow
        </Button>
      </div>
      <div className="rounded-md border border-line bg-panel">
        <Table
          name="Flows"
          rows={shown}
          columns={columns}
          keyOf={(flow) => flow.key}
          hrefOf={(flow) => `/flows/${flow.key}`}
          first={{ column: 'revenue', isDown: true }}
        />
        {!shown.length && (
          <Empty title={data.flows.length ? 'No flow matches' : 'No flows yet'}>
            {data.flows.length
              ? 'Take a word or the state out of the filter.'
              : 'A flow is created by sending its document to the API: PUT /api/v1/flows/{key}.'}
          </Empty>
        )}
      </div>
      {isMaking && <NewFlow flows={data.flows} onClose={() => setMaking(false)} />}
    </div>
  );
}
