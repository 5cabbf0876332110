'use client';

import { useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/react-query';
import Link from 'next/link';
import { useCallback, useMemo, useRef, useState } from 'react';
import type { ClockView, LedgerView, RevenueReport, RevenueSettingsView } from '@/core/api';
import { sayMoney, toMajor } from '@/core/money';
import { CREDIT_MODELS, MODEL_WORDS, type CreditModel } from '@/core/revenue';
import {
  api,
  attempt,
  Button,
  Empty,
  Failed,
  fieldClass,
  Label,
  plural,
  sayCount,
  sayMoment,
  sayShare,
  Table,
  type TableColumn,
  useStore,
} from '../kit';
import { CountingDialog } from './CountingDialog';
import { DayChart } from './DayChart';
import { OrderDialog } from './OrderDialog';

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
  /** which orders are behind it */
  readonly behind: string;
  readonly messages?: readonly CreditedLine[];
}

const linesOf = (report: RevenueReport): CreditedLine[] =>
  report.flows.map((flow) => ({
    key: flow.key,
    name: flow.name,
    flow: flow.key,
    orders: flow.orders,
    minor: flow.minor,
    behind: `flow=${encodeURIComponent(flow.key)}`,
    messages: flow.messages.map((message) => ({
      key: message.stepId,
      name: message.name,
      orders: message.orders,
      minor: message.minor,
      behind: `flow=${encodeURIComponent(flow.key)}&step=${encodeURIComponent(message.stepId)}`,
    })),
  }));

const lineColumnsOf = (currency: string, takings: number, show: (behind: Behind) => void): TableColumn<CreditedLine>[] => [
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
  {
    key: 'orders',
    name: 'Orders',
    isNumber: true,
    value: (line) => line.orders,
    show: (line) => (
      <button
        type="button"
        className="min-h-6 text-accent hover:underline"
        title="The orders behind it"
        onClick={() => show({ query: line.behind, says: line.name })}
      >
        {sayCount(line.orders)}
      </button>
    ),
  },
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

/** A flow or message by each model, side by side. */
function modelColumnsOf(currency: string, models: RevenueReport['models']): TableColumn<CreditedLine>[] {
  const of = (line: CreditedLine, model: CreditModel) =>
    models.find(
      (one) => line.behind === `flow=${encodeURIComponent(one.flow)}${one.step === null ? '' : `&step=${encodeURIComponent(one.step)}`}`,
    )?.credited[model] ?? 0;
  return [
    {
      key: 'name',
      name: 'Flow and message',
      value: (line) => line.name,
      show: (line) => <span className={line.flow ? '' : 'pl-5'}>{line.name}</span>,
    },
    ...CREDIT_MODELS.map((model) => ({
      key: model,
      name: MODEL_WORDS[model].name,
      isNumber: true,
      unit: currency,
      value: (line: CreditedLine) => toMajor({ currency, minor: of(line, model) }),
      show: (line: CreditedLine) => sayMoney({ currency, minor: of(line, model) }),
    })),
  ];
}

/** Whatever the takings are split by, where the orders behind a line can be shown. */
function splitColumnsOf(currency: string, by: string, show: (behind: Behind) => void): TableColumn<SplitRow>[] {
  const behindOf = (row: SplitRow) =>
    ['channel', 'offer', 'first'].includes(by) && row.key ? `${by}=${encodeURIComponent(row.key)}` : null;
  const money = (key: 'takings' | 'credited', name: string): TableColumn<SplitRow> => ({
    key,
    name,
    isNumber: true,
    unit: currency,
    value: (row) => toMajor({ currency, minor: row[key] }),
    show: (row) => sayMoney({ currency, minor: row[key] }),
  });
  return [
    { key: 'name', name: 'Which', value: (row) => row.name },
    {
      key: 'orders',
      name: 'Orders',
      isNumber: true,
      value: (row) => row.orders,
      show: (row) => {
        const query = behindOf(row);
        return query ? (
          <button
            type="button"
            className="min-h-6 text-accent hover:underline"
            title="The orders behind it"
            onClick={() => show({ query, says: row.name })}
          >
            {sayCount(row.orders)}
          </button>
        ) : (
          sayCount(row.orders)
        );
      },
    },
    ...(by === 'channel' ? [] : [money('takings', 'Taken, net')]),
    money('credited', 'Credited'),
    ...(by === 'channel'
      ? []
      : [
          {
            key: 'share',
            name: 'Of that credited',
            isNumber: true,
            unit: 'share',
            value: (row: SplitRow) => (row.takings > 0 ? row.credited / row.takings : null),
            show: (row: SplitRow) => sayShare(row.credited, row.takings),
          },
        ]),
  ];
}

type Order = LedgerView['orders'][number];
const ledgerColumnsOf = (zone: string, open: (order: Order) => void): TableColumn<Order>[] => [
  {
    key: 'order',
    name: 'Order',
    show: (order) => (
      <button
        type="button"
        onClick={() => open(order)}
        className="min-h-6 font-mono text-xs text-accent underline"
        title="Why it is credited so"
      >
        {order.orderId}
      </button>
    ),
  },
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
    show: ({ shares }) =>
      shares.length ? (
        <>
          {shares[0]!.name} <span className="text-soft">by {shares[0]!.because}</span>
          {shares.length > 1 && <span className="text-soft"> and {plural(shares.length - 1, 'more', 'more')}</span>}
        </>
      ) : (
        <span className="text-soft">no message</span>
      ),
  },
];

const SPLITS = [
  ['flow', 'flow and message'],
  ['channel', 'channel'],
  ['offer', 'offer'],
  ['first', 'first and later orders'],
  ['product', 'product'],
  ['category', 'category'],
  ['source', 'source'],
] as const;
type SplitRow = NonNullable<RevenueReport['split']>['rows'][number];

/** Which orders the ledger shows: all, or those behind a figure. */
interface Behind {
  readonly query: string;
  readonly says: string;
}

/** Takings, and what of them is credited to messages: to the cent, with the rest. */
export function RevenueScreen() {
  const store = useStore();
  const client = useQueryClient();
  const [days, setDays] = useState('30');
  const [by, setBy] = useState('flow');
  const [chosen, setModel] = useState<CreditModel | null>(null);
  const [isSideBySide, setSideBySide] = useState(false);
  const [behind, setBehind] = useState<Behind | null>(null);
  const [opened, setOpened] = useState<Order | null>(null);
  const [isCounting, setCounting] = useState(false);
  const list = useRef<HTMLElement>(null);
  const clock = useQuery({ queryKey: ['clock'], queryFn: () => api<ClockView>('/clock') });
  const settings = useQuery({
    queryKey: ['revenue-settings'],
    queryFn: () => api<RevenueSettingsView>('/revenue/settings'),
    refetchInterval: (query) => (query.state.data?.rebuild ? 2_000 : 60_000),
  });
  const model = chosen ?? settings.data?.settings.model ?? 'last-click';
  const period = clock.data
    ? `from=${encodeURIComponent(new Date(Date.parse(clock.data.now) - Number(days) * 86_400_000).toISOString())}&model=${model}`
    : null;
  const report = useQuery({
    queryKey: ['revenue', days, by, period?.slice(0, 21), model, settings.data?.rebuild?.done ?? null],
    queryFn: () => api<RevenueReport>(`/revenue?${period}&by=${by}`),
    enabled: period !== null && settings.isSuccess,
    placeholderData: (before) => before,
  });
  const ledger = useInfiniteQuery({
    queryKey: ['ledger', days, period?.slice(0, 21), model, behind?.query ?? '', settings.data?.rebuild?.done ?? null],
    queryFn: ({ pageParam }) =>
      api<LedgerView>(
        `/revenue/ledger?${period}&limit=50${behind ? `&${behind.query}` : ''}${pageParam ? `&before=${encodeURIComponent(pageParam)}` : ''}`,
      ),
    initialPageParam: '',
    getNextPageParam: (last) => last.next ?? undefined,
    enabled: period !== null && settings.isSuccess,
    placeholderData: (before) => before,
  });
  const show = useCallback((next: Behind) => {
    setBehind(next);
    list.current?.scrollIntoView({ block: 'start' });
  }, []);
  const lines = useMemo(() => (report.data ? linesOf(report.data) : []), [report.data]);
  const lineColumns = useMemo(
    () => lineColumnsOf(report.data?.currency ?? 'EUR', report.data?.takings ?? 0, show),
    [report.data?.currency, report.data?.takings, show],
  );
  const modelColumns = useMemo(
    () => modelColumnsOf(report.data?.currency ?? 'EUR', report.data?.models ?? []),
    [report.data?.currency, report.data?.models],
  );
  const splitColumns = useMemo(() => splitColumnsOf(report.data?.currency ?? 'EUR', by, show), [report.data?.currency, by, show]);
  const told = useMemo(() => ledger.data?.pages.flatMap((page) => page.orders) ?? [], [ledger.data]);
  const ledgerColumns = useMemo(() => ledgerColumnsOf(store.zone, setOpened), [store.zone]);
  const failed = clock.error ?? settings.error ?? report.error;
  if (failed) return <Failed error={failed} retry={() => void Promise.all([clock.refetch(), settings.refetch(), report.refetch()])} />;
  if (!report.data || !settings.data) return <Empty title="Adding up…" />;
  const { currency, takings, credited, uncredited, orders, others, before, yearBefore, counted } = report.data;
  const say = (minor: number) => sayMoney({ currency, minor });

  return (
    <div className="mx-auto grid max-w-[1280px] gap-5 px-6 py-5">
      <div className="flex items-end gap-4">
        <div className="min-w-0">
          <h1 className="text-xl font-semibold">Revenue</h1>
          <p data-testid="finding">
            <b>{say(takings)}</b> was taken by {plural(orders, 'order', 'orders')}, <b>{say(credited)}</b> of it
            {takings > 0 && ` (${sayShare(credited, takings)})`} is credited to messages;{' '}
            {sayAgainst(takings, before.takings, `the ${days} days before`)}.
          </p>
          <p className="text-sm text-soft">
            {MODEL_WORDS[model].name}: {MODEL_WORDS[model].says}. Amounts {counted}.
          </p>
        </div>
        <div className="flex-1" />
        <select
          aria-label="Model"
          value={model}
          onChange={(event) => setModel(event.target.value as CreditModel)}
          className={`${fieldClass} w-36 shrink-0`}
        >
          {CREDIT_MODELS.map((one) => (
            <option key={one} value={one}>
              {MODEL_WORDS[one].name}
            </option>
          ))}
        </select>
        <select
          aria-label="Period"
          value={days}
          onChange={(event) => setDays(event.target.value)}
          className={`${fieldClass} w-36 shrink-0`}
        >
          {PERIODS.map(([key, name]) => (
            <option key={key} value={key}>
              {name}
            </option>
          ))}
        </select>
        <Button onClick={() => setCounting(true)} className="shrink-0">
          How it is counted…
        </Button>
      </div>
      <Standing settings={settings.data} onCheck={() => void client.invalidateQueries({ queryKey: ['revenue-settings'] })} />
      <div className="grid grid-cols-[300px_1fr] gap-5" aria-busy={report.isPlaceholderData}>
        <dl className="grid content-start gap-4 rounded-md border border-line bg-panel p-5">
          <Sum
            term="Takings, net"
            value={say(takings)}
            more={`${plural(orders, 'order', 'orders')}; ${sayAgainst(takings, yearBefore.takings, 'a year before')}`}
            onOpen={() => show({ query: '', says: 'All orders' })}
          />
          <Sum
            term="Credited to messages"
            value={say(credited)}
            more={`${sayShare(credited, takings) ?? '0 %'} of it; ${sayAgainst(credited, before.credited, 'the period before')}`}
            onOpen={() => show({ query: 'credited=yes', says: 'Orders with credit' })}
          />
          <Sum
            term="Not credited"
            value={say(uncredited)}
            more={sayShare(uncredited, takings)}
            onOpen={() => show({ query: 'credited=no', says: 'Orders without credit' })}
          />
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
        <div className="flex items-center gap-3 border-b border-line px-4 py-2">
          <h2 className="font-semibold">
            <label htmlFor="split-by">By</label>
          </h2>
          <select id="split-by" value={by} onChange={(event) => setBy(event.target.value)} className={`${fieldClass} w-56`}>
            {SPLITS.map(([key, name]) => (
              <option key={key} value={key}>
                {name}
              </option>
            ))}
          </select>
          {by === 'flow' && (
            <label className="flex items-center gap-2">
              <input type="checkbox" checked={isSideBySide} onChange={(event) => setSideBySide(event.target.checked)} />
              All models side by side
            </label>
          )}
          <span className="text-sm text-soft">
            {by === 'channel' && 'Only credit is split: a channel takes nothing by itself.'}
            {(by === 'product' || by === 'category') &&
              'An order counts whole for each that it holds: the lines do not add up to the takings.'}
          </span>
        </div>
        {by !== 'flow' ? (
          <Table name="Revenue split" rows={report.data.split?.rows} columns={splitColumns} keyOf={(row) => row.key} />
        ) : report.data.flows.length ? (
          <Table
            name="By flow and message"
            rows={lines}
            columns={isSideBySide ? modelColumns : lineColumns}
            keyOf={(line) => line.key}
            partsOf={(line) => line.messages}
            rowClass={(_, depth) => (depth ? undefined : 'font-semibold')}
          />
        ) : (
          <Empty title="No order is credited in this period">Credit appears when somebody orders after a click or an opening.</Empty>
        )}
      </section>
      <section
        ref={list}
        className="scroll-mt-4 rounded-md border border-line bg-panel"
        aria-label="Ledger"
        aria-busy={ledger.isPlaceholderData}
      >
        <div className="flex items-center gap-3 border-b border-line px-4 py-2">
          <h2 className="font-semibold">Ledger</h2>
          {behind?.query && (
            <>
              <Label>{behind.says}</Label>
              <Button kind="quiet" onClick={() => setBehind(null)}>
                Show all orders
              </Button>
            </>
          )}
        </div>
        {ledger.error ? (
          <Failed error={ledger.error} retry={() => void ledger.refetch()} />
        ) : (
          <Table name="Orders" rows={told} columns={ledgerColumns} keyOf={(order) => `${order.person}/${order.orderId}`} isPlain />
        )}
        {ledger.data?.pages[0]?.orders.length === 0 && (
          <Empty title={behind?.query ? 'No such order in this period' : 'No orders in this period'} />
        )}
        {ledger.hasNextPage && (
          <div className="border-t border-line p-3 text-center">
            <Button disabled={ledger.isFetchingNextPage || ledger.isPlaceholderData} onClick={() => void ledger.fetchNextPage()}>
              Show earlier orders
            </Button>
          </div>
        )}
      </section>
      {opened && <OrderDialog orderId={opened.orderId} model={model} onClose={() => setOpened(null)} />}
      {isCounting && (
        <CountingDialog
          first={settings.data.settings}
          onClose={() => setCounting(false)}
          onSaved={() => {
            setCounting(false);
            setModel(null);
            void client.invalidateQueries({ queryKey: ['revenue-settings'] });
          }}
        />
      )}
    </div>
  );
}

/** How an amount stands against an earlier one: "12 % more than in the 30 days before". */
function sayAgainst(now: number, then: number, when: string): string {
  if (then <= 0) return `nothing in ${when}`;
  const change = Math.round((1000 * (now - then)) / then) / 10;
  if (change === 0) return `as much as in ${when}`;
  return `${Math.abs(change)} % ${change > 0 ? 'more' : 'less'} than in ${when}`;
}

/** What the last check of the ledger has found, and how far a rebuild has come. */
function Standing({ settings, onCheck }: { settings: RevenueSettingsView; onCheck: () => void }) {
  const { zone } = useStore();
  const [isBusy, setBusy] = useState(false);
  const { check, rebuild } = settings;
  return (
    <p className="flex items-center gap-3 text-sm text-soft" data-testid="ledger-check">
      {rebuild ? (
        <span role="status">
          The ledger is being computed anew: {sayCount(rebuild.done)} of {plural(rebuild.of, 'person', 'people')} with orders.
        </span>
      ) : check ? (
        <span className={check.differences ? 'text-stop' : ''}>
          Checked {sayMoment(check.at, zone)}: {plural(check.orders, 'order', 'orders')},{' '}
          {plural(check.differences, 'difference', 'differences')}
          {check.examples[0] && `, such as ${check.examples[0].orderId}: ${check.examples[0].what}`}.
        </span>
      ) : (
        <span>Not checked yet: it is each night after four.</span>
      )}
      <Button
        kind="quiet"
        disabled={isBusy || rebuild !== null}
        onClick={() => {
          setBusy(true);
          void attempt(() => api('/revenue/check', { method: 'POST' })).finally(() => {
            setBusy(false);
            onCheck();
          });
        }}
      >
        {isBusy ? 'Checking…' : 'Check now'}
      </Button>
    </p>
  );
}

function Sum({ term, value, more, onOpen }: { term: string; value: string; more: string | null; onOpen?: () => void }) {
  return (
    <div>
      <dt className="text-xs text-soft">{term}</dt>
      <dd className="text-xl font-semibold tabular">
        {onOpen ? (
          <button type="button" onClick={onOpen} title="The orders behind it" className="hover:underline">
            {value}
          </button>
        ) : (
          value
        )}
      </dd>
      {more && <dd className="text-sm text-soft tabular">{more}</dd>}
    </div>
  );
}
