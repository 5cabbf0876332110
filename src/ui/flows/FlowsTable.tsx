'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useMemo, useState, type ReactNode } from 'react';
import type { FlowListItem, FlowListView } from '@/core/api';
import { STAGES, STAGE_WORDS } from '@/core/flows';
import { sayMoney, toMajor } from '@/core/money';
import { Plus } from 'lucide-react';
import {
  api,
  Button,
  Empty,
  Failed,
  fieldClass,
  NotKnown,
  plural,
  sayCount,
  Spark,
  StateFilter,
  StateSignal,
  Table,
  type TableColumn,
  Link,
  WordFilter,
} from '../kit';
import { Chosen } from './ChosenFlows';
import { NewFlow } from './NewFlow';

const ORDER = ['on', 'paused', 'draft'];
const STATES: readonly (readonly [string, string])[] = [
  ['on', 'On'],
  ['paused', 'Paused'],
  ['draft', 'Draft'],
  ['archived', 'Archived'],
];

/** What stands in a cell of a flow that was ever on; nothing is counted of a draft. */
const ofThoseOn = (show: (flow: FlowListItem) => ReactNode) => (flow: FlowListItem) => (flow.version === null ? '' : show(flow));
const each = (flow: FlowListItem) => (flow.entered ? flow.revenue.minor / flow.entered : null);

const columnsOf = (currency: string): TableColumn<FlowListItem>[] => [
  {
    key: 'state',
    width: 7,
    name: 'State',
    value: (flow) => `${ORDER.indexOf(flow.state) + 1} ${flow.state}`,
    show: (flow) => <StateSignal state={flow.state} />,
  },
  {
    key: 'name',
    width: 30,
    name: 'Flow',
    value: (flow) => flow.name,
    show: (flow) => (
      <>
        <Link href={`/flows/${flow.key}`} className="font-semibold hover:underline">
          {flow.name}
        </Link>
        {flow.hasChanges && <span className="ml-2 text-xs text-caution">draft differs</span>}
        <div className="max-w-[380px] text-xs text-soft">{flow.trigger}</div>
        {(flow.tags.length > 0 || flow.owner) && (
          <div className="text-xs text-soft">{[flow.owner, ...flow.tags.map((tag) => `#${tag}`)].filter(Boolean).join(' · ')}</div>
        )}
        {flow.attention.map((says) => (
          <div key={says} className="text-xs text-caution">
            {says}
          </div>
        ))}
      </>
    ),
  },
  {
    key: 'inside',
    width: 10,
    name: 'Inside now',
    isNumber: true,
    value: (flow) => (flow.version === null ? null : flow.inside),
    show: (flow) => (flow.version === null ? <NotKnown what="never on" /> : plural(flow.inside, 'person', 'people')),
    className: 'whitespace-nowrap',
  },
  {
    key: 'sent',
    width: 12,
    name: 'Sent, 24 hours',
    isNumber: true,
    value: (flow) => (flow.version === null ? null : flow.sent24h),
    show: ofThoseOn((flow) => plural(flow.sent24h, 'message', 'messages')),
    className: 'whitespace-nowrap',
  },
  {
    key: 'entered',
    width: 12,
    name: 'Entered, 30 days',
    isNumber: true,
    value: (flow) => (flow.version === null ? null : flow.entered),
    show: ofThoseOn((flow) => sayCount(flow.entered)),
  },
  {
    key: 'revenue',
    width: 13,
    name: 'Revenue, 30 days',
    isNumber: true,
    unit: currency,
    value: (flow) => (flow.version === null ? null : toMajor(flow.revenue)),
    show: ofThoseOn((flow) => sayMoney(flow.revenue)),
    className: 'whitespace-nowrap font-semibold',
  },
  {
    key: 'each',
    width: 13,
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
    width: 13,
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
  const client = useQueryClient();
  const [words, setWords] = useState('');
  const [state, setState] = useState('');
  const [label, setLabel] = useState('');
  const [isGrouped, setGrouped] = useState(false);
  const [isWanting, setWanting] = useState(false);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [isMaking, setMaking] = useState(false);
  const away = useQuery({
    queryKey: ['flows', 'archived'],
    queryFn: () => api<FlowListView>('/flows?archived=yes'),
    enabled: state === 'archived',
  });

  const all = state === 'archived' ? away.data?.flows : data.flows;
  const shown = useMemo(() => {
    const wanted = words.trim().toLowerCase();
    return (all ?? []).filter(
      (flow) =>
        (!state || flow.state === state) &&
        (!isWanting || flow.attention.length > 0) &&
        (!label || flow.tags.includes(label) || flow.owner === label) &&
        (!wanted || `${flow.name} ${flow.trigger} ${flow.description} ${flow.owner} ${flow.tags.join(' ')}`.toLowerCase().includes(wanted)),
    );
  }, [all, words, state, label, isWanting]);
  const labels = useMemo(
    () =>
      [...new Set((all ?? []).flatMap((flow) => [...flow.tags, ...(flow.owner ? [flow.owner] : [])]))].sort((a, b) => a.localeCompare(b)),
    [all],
  );
  const currency = data.flows[0]?.revenue.currency ?? 'EUR';
  const columns = useMemo(() => columnsOf(currency), [currency]);

  if (error && !data) return <Failed error={error} retry={() => void refetch()} />;
  const total = data.flows.reduce((sum, flow) => sum + flow.revenue.minor, 0);
  const picked = shown.filter((flow) => chosen.has(flow.key));
  const toggle = ({ key }: FlowListItem) =>
    setChosen((before) => {
      const next = new Set(before);
      if (!next.delete(key)) next.add(key);
      return next;
    });
  const groups: readonly (readonly [string, readonly FlowListItem[]])[] = isGrouped
    ? [...STAGES, null]
        .map((stage) => [stage ? STAGE_WORDS[stage] : 'Not said where', shown.filter((flow) => flow.stage === stage)] as const)
        .filter(([, flows]) => flows.length)
    : [['', shown]];
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
        <Button changes="/flows" kind="primary" onClick={() => setMaking(true)}>
          <Plus size={16} aria-hidden="true" /> New flow
        </Button>
      </div>
      <div className="mb-3 flex items-center gap-3">
        <WordFilter value={words} onChange={setWords} hint="Filter by name, trigger or words" />
        <StateFilter value={state} onChange={setState} states={STATES} />
        {(labels.length > 0 || label) && (
          <select
            aria-label="Filter by tag or who looks after it"
            value={label}
            onChange={(event) => setLabel(event.target.value)}
            className={`${fieldClass} w-44`}
          >
            <option value="">Every tag and person</option>
            {labels.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        )}
        <label className="flex items-center gap-2">
          <input type="checkbox" checked={isGrouped} onChange={(event) => setGrouped(event.target.checked)} />
          Group by stage
        </label>
        <label className="flex items-center gap-2">
          <input type="checkbox" checked={isWanting} onChange={(event) => setWanting(event.target.checked)} />
          Needs attention
        </label>
        <div className="flex-1" />
        {picked.length > 0 && (
          <Chosen
            flows={picked}
            onDone={() => {
              setChosen(new Set());
              void client.invalidateQueries({ queryKey: ['flows'] });
            }}
          />
        )}
      </div>
      {groups.map(([title, flows]) => (
        <section key={title} aria-label={title || undefined} className="mb-4">
          {title && <h2 className="mb-1 font-semibold">{title}</h2>}
          <div className="rounded-md border border-line bg-panel">
            <Table
              name={title ? `Flows, ${title}` : 'Flows'}
              rows={flows}
              columns={columns}
              keyOf={(flow) => flow.key}
              hrefOf={(flow) => `/flows/${flow.key}`}
              first={{ column: 'sent', isDown: true }}
              chosen={{ is: (flow) => chosen.has(flow.key), toggle, say: (flow) => `Choose ${flow.name}` }}
            />
            {!flows.length &&
              (state === 'archived' && away.isPending ? (
                <Empty title="Loading…" />
              ) : (
                <Empty title={all?.length ? 'No flow matches' : state === 'archived' ? 'No flow is archived' : 'No flows yet'}>
                  {all?.length
                    ? 'Take a word, the state or the tag out of the filter.'
                    : state !== 'archived' && 'Create one: ready to begin with, from scratch, or from a file.'}
                </Empty>
              ))}
          </div>
        </section>
      ))}
      {isMaking && <NewFlow flows={data.flows} onClose={() => setMaking(false)} />}
    </div>
  );
}
