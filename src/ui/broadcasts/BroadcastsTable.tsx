'use client';

import { useQuery } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { useMemo, useState } from 'react';
import type { BroadcastItem, BroadcastPhase } from '@/core/api';
import { sayMoney, toMajor } from '@/core/money';
import {
  api,
  Button,
  Dialog,
  Empty,
  Failed,
  NotKnown,
  plural,
  sayCount,
  sayMoment,
  sayShare,
  StateFilter,
  Table,
  useStore,
  type TableColumn,
  Link,
  WordFilter,
} from '../kit';
import { NewBroadcast } from './NewBroadcast';
import { PHASE_WORDS, PhaseSignal } from './PhaseSignal';
import { OutPlaces } from './places';

const ORDER: readonly BroadcastPhase[] = ['asks', 'going', 'trying', 'stopped', 'planned', 'draft', 'gone', 'archived'];

const columnsOf = (zone: string, currency: string): TableColumn<BroadcastItem>[] => [
  {
    key: 'phase',
    width: 10,
    name: 'State',
    value: ({ phase }) => `${ORDER.indexOf(phase) + 1} ${phase}`,
    show: ({ phase }) => <PhaseSignal phase={phase} />,
  },
  {
    key: 'name',
    width: 26,
    name: 'Broadcast',
    value: ({ name }) => name,
    show: (one) => (
      <>
        <Link href={`/broadcasts/${one.key}`} className="font-semibold hover:underline">
          {one.name}
        </Link>
        {(one.tags.length > 0 || one.owner) && (
          <div className="text-xs text-soft">{[one.owner, ...one.tags.map((tag) => `#${tag}`)].filter(Boolean).join(' · ')}</div>
        )}
      </>
    ),
  },
  {
    key: 'at',
    width: 15,
    name: 'Goes or went out',
    value: ({ at }) => at,
    show: ({ at, repeats }) =>
      at ? (
        <>
          <span className="font-mono text-xs tabular">{sayMoment(at, zone)}</span>
          {repeats && <div className="text-xs text-soft">comes round</div>}
        </>
      ) : (
        <NotKnown what="not said" />
      ),
  },
  {
    key: 'sent',
    width: 8,
    name: 'Sent',
    isNumber: true,
    value: ({ sent }) => sent,
    show: ({ sent }) => (sent ? sayCount(sent) : ''),
  },
  ofSent('opened', 'Opened', ({ opened }) => opened),
  ofSent('clicked', 'Clicked', ({ clicked }) => clicked),
  {
    key: 'orders',
    width: 7,
    name: 'Orders',
    isNumber: true,
    value: ({ orders }) => orders,
    show: ({ orders, sent }) => (sent ? sayCount(orders) : ''),
  },
  {
    key: 'revenue',
    width: 12,
    name: 'Revenue',
    isNumber: true,
    unit: currency,
    value: ({ revenue }) => toMajor(revenue),
    show: ({ revenue, sent }) => (sent ? sayMoney(revenue) : ''),
    className: 'whitespace-nowrap font-semibold',
  },
];

function ofSent(key: string, name: string, of: (one: BroadcastItem) => number): TableColumn<BroadcastItem> {
  return {
    key,
    width: 11,
    name,
    isNumber: true,
    value: of,
    show: (one) =>
      one.sent ? (
        <>
          {sayCount(of(one))} <span className="text-xs text-soft">{sayShare(of(one), one.delivered || one.sent)}</span>
        </>
      ) : (
        ''
      ),
  };
}

/** All broadcasts: what is planned, what goes out, and what became of those that have. */
export function BroadcastsTable({ initial }: { initial: { broadcasts: BroadcastItem[] } }) {
  const { zone, currency } = useStore();
  const { data, error, refetch } = useQuery({
    queryKey: ['broadcasts'],
    queryFn: () => api<{ broadcasts: BroadcastItem[] }>('/broadcasts'),
    initialData: initial,
    refetchInterval: 10_000,
  });
  const [phase, setPhase] = useState<BroadcastPhase | ''>('');
  const [words, setWords] = useState('');
  const [isMaking, setMaking] = useState(false);
  const [isComparing, setComparing] = useState(false);
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const away = useQuery({
    queryKey: ['broadcasts', 'archived'],
    queryFn: () => api<{ broadcasts: BroadcastItem[] }>('/broadcasts?archived=yes'),
    enabled: phase === 'archived',
  });
  const all = phase === 'archived' ? (away.data?.broadcasts ?? []) : data.broadcasts;
  const wanted = words.trim().toLowerCase();
  const shown = all.filter(
    (one) =>
      (!phase || one.phase === phase) && (!wanted || `${one.name} ${one.owner} ${one.tags.join(' ')}`.toLowerCase().includes(wanted)),
  );
  const columns = useMemo(() => columnsOf(zone, currency), [zone, currency]);
  const planned = data.broadcasts.filter((one) => one.phase === 'planned').length;
  const asking = data.broadcasts.filter((one) => one.phase === 'asks').length;
  const picked = shown.filter(({ key }) => chosen.has(key));
  if (error && !data) return <Failed error={error} retry={() => void refetch()} />;
  return (
    <>
      <OutPlaces />
      <div className="mx-auto max-w-[1280px] px-6 py-5">
        <div className="mb-4 flex items-end gap-6">
          <div className="min-w-0">
            <h1 className="text-xl font-semibold">Broadcasts</h1>
            <p className="text-soft">
              One message to many, at a moment. {plural(planned, 'is', 'are')} planned
              {asking > 0 && <b className="text-caution">; {plural(asking, 'waits', 'wait')} for you to choose a message</b>}.
            </p>
          </div>
          <div className="flex-1" />
          <Button changes="/flows" kind="primary" onClick={() => setMaking(true)}>
            <Plus size={16} aria-hidden="true" /> New broadcast
          </Button>
        </div>
        <div className="mb-3 flex items-center gap-3">
          <WordFilter value={words} onChange={setWords} hint="Filter by name, owner or tag" />
          <StateFilter value={phase} onChange={setPhase} states={ORDER.map((one) => [one, PHASE_WORDS[one]])} />
          <div className="flex-1" />
          <Button
            disabled={picked.length < 2}
            title={picked.length < 2 ? 'Choose two or more' : undefined}
            onClick={() => setComparing(true)}
          >
            Compare{picked.length > 1 ? ` ${picked.length}` : ''}…
          </Button>
        </div>
        {shown.length ? (
          <Table
            name="broadcasts"
            rows={shown}
            keyOf={(one) => one.key}
            hrefOf={(one) => `/broadcasts/${one.key}`}
            columns={columns}
            chosen={{
              is: (one) => chosen.has(one.key),
              toggle: ({ key }) =>
                setChosen((before) => {
                  const next = new Set(before);
                  if (!next.delete(key)) next.add(key);
                  return next;
                }),
              say: (one) => `Choose ${one.name}`,
            }}
          />
        ) : (
          <Empty title={all.length ? 'None like this' : 'No broadcast yet'}>
            {all.length ? 'Change the filter above.' : 'A newsletter, an announcement, news of the blog: one message to many at a moment.'}
          </Empty>
        )}
      </div>
      {isMaking && <NewBroadcast broadcasts={data.broadcasts} onClose={() => setMaking(false)} />}
      {isComparing && <Compare broadcasts={picked} onClose={() => setComparing(false)} />}
    </>
  );
}

/** Several broadcasts beside each other, figure by figure. */
function Compare({ broadcasts, onClose }: { broadcasts: readonly BroadcastItem[]; onClose: () => void }) {
  const { zone } = useStore();
  const rows: readonly (readonly [string, (one: BroadcastItem) => string])[] = [
    ['Went out', (one) => (one.at ? sayMoment(one.at, zone) : '')],
    ['Sent', (one) => sayCount(one.sent)],
    ['Delivered', (one) => `${sayCount(one.delivered)} · ${sayShare(one.delivered, one.sent) ?? '–'}`],
    ['Bounced', (one) => `${sayCount(one.bounced)} · ${sayShare(one.bounced, one.sent) ?? '–'}`],
    ['Opened', (one) => `${sayCount(one.opened)} · ${sayShare(one.opened, one.delivered || one.sent) ?? '–'}`],
    ['Clicked', (one) => `${sayCount(one.clicked)} · ${sayShare(one.clicked, one.delivered || one.sent) ?? '–'}`],
    ['Orders', (one) => sayCount(one.orders)],
    ['Revenue', (one) => sayMoney(one.revenue)],
    ['Revenue for each sent', (one) => (one.sent ? sayMoney({ ...one.revenue, minor: Math.round(one.revenue.minor / one.sent) }) : '–')],
  ];
  return (
    <Dialog
      isOpen
      onClose={onClose}
      title={`${broadcasts.length} broadcasts beside each other`}
      width={Math.min(1100, 220 + broadcasts.length * 190)}
    >
      <div className="overflow-x-auto">
        <table className="w-full tabular">
          <thead>
            <tr className="border-b border-line">
              <td />
              {broadcasts.map((one) => (
                <th key={one.key} scope="col" className="px-2 py-1.5 text-right align-bottom">
                  {one.name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map(([name, say]) => (
              <tr key={name} className="border-b border-line">
                <th scope="row" className="py-1.5 text-left font-normal text-soft">
                  {name}
                </th>
                {broadcasts.map((one) => (
                  <td key={one.key} className="px-2 py-1.5 text-right">
                    {say(one)}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Dialog>
  );
}
