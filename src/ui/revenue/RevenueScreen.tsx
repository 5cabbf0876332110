'use client';

import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import Link from 'next/link';
import { useMemo, useState } from 'react';
import type { ClockView, LedgerView, RevenueReport } from '@/core/api';
import { sayMoney, toMajor } from '@/core/money';
import { api, Button, Empty, Failed, fieldClass, plural, sayMoment, sayShare, Table, type TableColumn, useStore } from '../kit';
import { DayChart } from './DayChart';

const PERIODS = [
  ['7', 'Last 7 days'],
  ['30', 'Last 30 days'],
  ['90', 'Last 90 days'],
  ['180', 'Last 180 days'],
] as const;

/** A flow, or a message of it, with what is credited to it. */
interface CreditedLine {
  readonly key: string;
  readonly name: string;
  readonly flow?: string;
  readonly orders: number;
  readonly minor: number;
  readonly messages?: readonly CreditedLine[];
}

const linesOf = (report: RevenueReport): CreditedLine[] =>
  report.flows.map((flow) => ({
    key: flow.key,
    name: flow.name,
    flow: flow.key,
    orders: flow.orders,
    minor: flow.minor,
    messages: flow.messages.map((message) => ({
      key: message.stepId,
      name: message.name,
      orders: message.orders,
      minor: message.minor,
    })),
  }));

const lineColumnsOf = (currency: string, takings: number): TableColumn<CreditedLine>[] => [
  {
    key: 'name',
    name: 'Flow and message',
    value: (line) => line.name,
    show: (line) =>
      line.flow ? (
        <Link href={`/flows/${line.flow}`} className="hover:underline">
          {line.name}
        </Link>
      ) : (
        <span className="pl-5">{line.name}</span>
      ),
  },
  { key: 'orders', name: 'Orders', isNumber: true, value: (line) => line.orders },
  {
    key: 'credited',
    name: 'Credited',
    isNumber: true,
    unit: currency,
    value: (line) => toMajor({ currency, minor: line.minor }),
    show: (line) => sayMoney({ currency, minor: line.minor }),
  },
  {
    key: 'share',
    name: 'Share of takings',
    isNumber: true,
    unit: 'share',
    value: (line) => (takings > 0 ? line.minor / takings : null),
    show: (line) => <span className={line.flow ? '' : 'text-soft'}>{sayShare(line.minor, takings)}</span>,
  },
];

type Order = LedgerView['orders'][number];
const ledgerColumnsOf = (zone: string): TableColumn<Order>[] => [
  { key: 'order', name: 'Order', show: (order) => order.orderId, className: 'font-mono text-xs' },
  { key: 'placed', name: 'Placed', show: (order) => sayMoment(order.placedAt, zone) },
  {
    key: 'by',
    name: 'By',
    show: (order) => (
      <Link href={`/people/${order.person}`} className="hover:underline">
        {order.email ?? order.person}
      </Link>
    ),
  },
  {
    key: 'taken',
    name: 'Taken, net',
    isNumber: true,
    show: (order) => (
      <>
        {sayMoney({ currency: order.currency, minor: order.net })}
        {order.refunded > 0 && <span className="ml-1 text-xs text-caution">{order.isCancelled ? 'cancelled' : 'part refunded'}</span>}
      </>
    ),
  },
  {
    key: 'credited',
    name: 'Credited',
    isNumber: true,
    show: (order) =>
      order.credited ? sayMoney({ currency: order.currency, minor: order.credited }) : <span className="text-soft">nothing</span>,
  },
  {
    key: 'to',
    name: 'To',
    show: (order) =>
      order.flow ? (
        <>
          {order.flow.name} <span className="text-soft">by {order.because}</span>
        </>
      ) : (
        <span className="text-soft">no message</span>
      ),
  },
];

/** Takings, and what of them is credited to messages: to the cent, with the rest. */
export function RevenueScreen() {
  const store = useStore();
  const [days, setDays] = useState('30');
  const clock = useQuery({ queryKey: ['clock'], queryFn: () => api<ClockView>('/clock') });
  const period = clock.data
    ? `from=${encodeURIComponent(new Date(Date.parse(clock.data.now) - Number(days) * 86_400_000).toISOString())}`
    : null;
  const report = useQuery({
    queryKey: ['revenue', days, period?.slice(0, 21)],
    queryFn: () => api<RevenueReport>(`/revenue?${period}`),
    enabled: period !== null,
    placeholderData: (before) => before,
  });
  const ledger = useInfiniteQuery({
    queryKey: ['ledger', days, period?.slice(0, 21)],
    queryFn: ({ pageParam }) =>
      api<LedgerView>(`/revenue/ledger?${period}&limit=50${pageParam ? `&before=${encodeURIComponent(pageParam)}` : ''}`),
    initialPageParam: '',
    getNextPageParam: (last) => last.next ?? undefined,
    enabled: period !== null,
    placeholderData: (before) => before,
  });
  const lines = useMemo(() => (report.data ? linesOf(report.data) : []), [report.data]);
  const lineColumns = useMemo(
    () => lineColumnsOf(report.data?.currency ?? 'EUR', report.data?.takings ?? 0),
    [report.data?.currency, report.data?.takings],
  );
  const told = useMemo(() => ledger.data?.pages.flatMap((page) => page.orders) ?? [], [ledger.data]);
  const ledgerColumns = useMemo(() => ledgerColumnsOf(store.zone), [store.zone]);
  const failed = clock.error ?? report.error;
  if (failed) return <Failed error={failed} retry={() => void Promise.all([clock.refetch(), report.refetch()])} />;
  if (!report.data) return <Empty title="Adding up…" />;
  const { currency, takings, credited, uncredited, orders, others } = report.data;
  const say = (minor: number) => sayMoney({ currency, minor });

  return (
    <div className="mx-auto grid max-w-[1280px] gap-5 px-6 py-5">
      <div className="flex items-end gap-4">
        <div>
          <h1 className="text-xl font-semibold">Revenue</h1>
          <p className="text-soft">
            Last click within 7 days before the order, else last opened within 2 days. Cancellations and refunds take credit back.
          </p>
        </div>
        <div className="flex-1" />
        <select aria-label="Period" value={days} onChange={(event) => setDays(event.target.value)} className={`${fieldClass} w-40`}>
          {PERIODS.map(([key, name]) => (
            <option key={key} value={key}>
              {name}
            </option>
          ))}
        </select>
      </div>
      <div className="grid grid-cols-[300px_1fr] gap-5" aria-busy={report.isPlaceholderData}>
        <dl className="grid content-start gap-4 rounded-md border border-line bg-panel p-5">
          <Sum term="Takings, net" value={say(takings)} more={plural(orders, 'order', 'orders')} />
          <Sum term="Credited to messages" value={say(credited)} more={sayShare(credited, takings)} />
          <Sum term="Not credited" value={say(uncredited)} more={sayShare(uncredited, takings)} />
          {others.map((other) => (
            <Sum
              key={other.currency}
              term={`Taken in ${other.currency}, not in the sums`}
              value={sayMoney({ currency: other.currency, minor: other.takings })}
              more={`${sayMoney({ currency: other.currency, minor: other.credited })} credited`}
            />
          ))}
        </dl>
        <div className="rounded-md border border-line bg-panel p-4">
          <DayChart days={report.data.days} currency={currency} />
        </div>
      </div>
      <section className="rounded-md border border-line bg-panel" aria-busy={report.isPlaceholderData}>
        <h2 className="border-b border-line px-4 py-2 font-semibold">By flow and message</h2>
        {report.data.flows.length ? (
          <Table
            name="By flow and message"
            rows={lines}
            columns={lineColumns}
            keyOf={(line) => line.key}
            partsOf={(line) => line.messages}
            rowClass={(_, depth) => (depth ? undefined : 'font-semibold')}
          />
        ) : (
          <Empty title="No order is credited in this period">Credit appears when somebody orders after a click or an opening.</Empty>
        )}
      </section>
      <section className="rounded-md border border-line bg-panel" aria-label="Ledger" aria-busy={ledger.isPlaceholderData}>
        <h2 className="border-b border-line px-4 py-2 font-semibold">Ledger</h2>
        {ledger.error ? (
          <Failed error={ledger.error} retry={() => void ledger.refetch()} />
        ) : (
          <Table name="Orders" rows={told} columns={ledgerColumns} keyOf={(order) => `${order.person}/${order.orderId}`} isPlain />
        )}
        {ledger.data?.pages[0]?.orders.length === 0 && <Empty title="No orders in this period" />}
        {ledger.hasNextPage && (
          <div className="border-t border-line p-3 text-center">
            <Button disabled={ledger.isFetchingNextPage || ledger.isPlaceholderData} onClick={() => void ledger.fetchNextPage()}>
              Show earlier orders
            </Button>
          </div>
        )}
      </section>
    </div>
  );
}

function Sum({ term, value, more }: { term: string; value: string; more: string | null }) {
  return (
    <div>
      <dt className="text-xs text-soft">{term}</dt>
      <dd className="text-xl font-semibold tabular">{value}</dd>
      {more && <dd className="text-soft tabular">{more}</dd>}
    </div>
  );
}
