import type { LedgerView, RevenueReport } from '@/core/api';
import { sayMoney, toMajor } from '@/core/money';
import { CREDIT_MODELS, isOfCredit, MODEL_WORDS, type CreditModel } from '@/core/revenue';
import { plural, sayCount, sayMoment, sayShare, type TableColumn, Link } from '../kit';

/** Which orders the ledger shows: all, or those behind a figure. */
export interface Behind {
  readonly query: string;
  readonly says: string;
}

export type SplitRow = NonNullable<RevenueReport['split']>['rows'][number];

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

export const linesOf = (report: RevenueReport): CreditedLine[] =>
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

export const lineColumnsOf = (currency: string, takings: number, show: (behind: Behind) => void): TableColumn<CreditedLine>[] => [
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
export function modelColumnsOf(currency: string, models: RevenueReport['models']): TableColumn<CreditedLine>[] {
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
export function splitColumnsOf(currency: string, by: string, show: (behind: Behind) => void): TableColumn<SplitRow>[] {
  const isCreditOnly = isOfCredit(by);
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
      show: (row) => (
        <button
          type="button"
          className="min-h-6 text-accent hover:underline"
          title="The orders behind it"
          onClick={() => show({ query: `${by}=${encodeURIComponent(row.key)}`, says: row.name })}
        >
          {sayCount(row.orders)}
        </button>
      ),
    },
    ...(isCreditOnly ? [] : [money('takings', 'Taken, net')]),
    money('credited', 'Credited'),
    ...(isCreditOnly
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

export type Order = LedgerView['orders'][number];
export const ledgerColumnsOf = (zone: string, open: (order: Order) => void): TableColumn<Order>[] => [
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
