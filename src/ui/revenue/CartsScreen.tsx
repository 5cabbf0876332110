'use client';

import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import type { CartItemView, CartsReport, CartsView } from '@/core/api';
import { sayMoney, toMajor } from '@/core/money';
import {
  api,
  AsTable,
  Button,
  Curve,
  Empty,
  Failed,
  fieldClass,
  Label,
  Link,
  ofBefore,
  Page,
  Part,
  percent,
  plural,
  sayCalendarDay,
  sayCount,
  sayMoment,
  Spans,
  Table,
  type TableColumn,
  useStore,
} from '../kit';
import { usePeriod } from './usePeriod';

const STATES = { open: 'open', won: 'won back', gone: 'gone', unreachable: 'cannot be written to' } as const;
const TONES = { open: 'caution', won: 'good', gone: 'stop', unreachable: undefined } as const;
const HOW = { clicked: 'after a click', sent: 'after a message', itself: 'by itself' } as const;
const GROUPS = {
  value: 'value',
  first: 'first-time or not',
  product: 'product',
  source: 'source',
  message: 'message',
  offer: 'offer',
} as const;

/** Carts that were left: what became of them, what they were worth, how they came back and how soon. */
export function CartsScreen() {
  const { query, field, key, error: clockError, retry } = usePeriod('90');
  const [by, setBy] = useState<keyof typeof GROUPS>('value');
  const [state, setState] = useState('');
  const { data, error, refetch, isPlaceholderData } = useQuery({
    queryKey: ['carts', key],
    queryFn: () => api<CartsReport>(`/carts?${query}`),
    enabled: query !== null,
    placeholderData: (before) => before,
  });
  const failed = clockError ?? error;
  if (failed) return <Failed error={failed} retry={() => (clockError ? retry() : void refetch())} />;
  if (!data) return <Empty title="Looking at carts…" />;
  const say = (minor: number) => sayMoney({ currency: data.currency, minor });
  const { rate, how } = data;
  return (
    <Page
      title="Carts"
      about={
        <span data-testid="finding">
          {rate ? (
            <>
              <b>{percent(rate.share)}</b> of the carts that were left {data.windowDays} days ago or more came back ({percent(rate.low)} to{' '}
              {percent(rate.high)}): {say(data.won)} of {say(data.potential)}.{' '}
              {how.clicked.carts > 0 && `${say(how.clicked.value)} of it came after a click, ${say(how.itself.value)} by itself.`}
            </>
          ) : (
            'No cart that was left is decided yet.'
          )}
        </span>
      }
      acts={field}
    >
      <div className="grid gap-5" {...ofBefore(isPlaceholderData)}>
        <div className="grid grid-cols-4 gap-4">
          <Figure name="Open" some={data.open} say={say} more={`may still come back within ${data.windowDays} days`} />
          <Figure
            name="Won back"
            some={{ carts: data.wonBack.carts, value: data.wonBack.revenue }}
            say={say}
            more="what was ordered, net"
          />
          <Figure name="Gone" some={data.gone} say={say} more="not ordered in time" />
          <Figure name="Cannot be written to" some={data.unreachable} say={say} more="apart: not in the rate" />
        </div>
        <div className="grid grid-cols-2 gap-5">
          <Part title="How soon they come back">
            <div className="p-4">
              <BackCurve data={data} />
            </div>
          </Part>
          <Part title="How they came back">
            <div className="grid gap-3 p-4">
              <dl className="grid gap-1.5 tabular">
                {(['clicked', 'sent', 'itself'] as const).map((one) => (
                  <div key={one} className="flex justify-between gap-4">
                    <dt>
                      {{ clicked: 'After a click in a message', sent: 'After a message, without a click', itself: 'By themselves' }[one]}
                    </dt>
                    <dd>
                      <b>{plural(how[one].carts, 'cart', 'carts')}</b>, {say(how[one].value)}
                    </dd>
                  </div>
                ))}
              </dl>
              <Weeks data={data} />
            </div>
          </Part>
        </div>
        <Part
          title="Rate by"
          acts={
            <select
              aria-label="Split by"
              value={by}
              onChange={(event) => setBy(event.target.value as typeof by)}
              className={`${fieldClass} w-48`}
            >
              {Object.entries(GROUPS).map(([key, name]) => (
                <option key={key} value={key}>
                  {name}
                </option>
              ))}
            </select>
          }
        >
          <Groups data={data} by={by} />
        </Part>
        <CartList query={query!} state={state} onState={setState} />
      </div>
    </Page>
  );
}

function Figure({
  name,
  some,
  say,
  more,
}: {
  name: string;
  some: { readonly carts: number; readonly value: number };
  say: (minor: number) => string;
  more: string;
}) {
  return (
    <dl className="rounded-md border border-line bg-panel p-4">
      <dt className="text-xs text-soft">{name}</dt>
      <dd className="text-xl font-semibold tabular">{plural(some.carts, 'cart', 'carts')}</dd>
      <dd className="tabular">{say(some.value)}</dd>
      <dd className="text-xs text-soft">{more}</dd>
    </dl>
  );
}

const sayHours = (hours: number) =>
  hours < 1 ? `${Math.round(hours * 60)} min` : hours < 48 ? `${Math.round(hours)} h` : `${Math.round(hours / 24)} d`;
type Step = CartsReport['curve'][number];
const curveColumns: TableColumn<Step>[] = [
  {
    key: 'hours',
    name: 'After',
    isNumber: true,
    unit: 'hours',
    value: (step) => Math.round(step.hours * 10) / 10,
    show: (step) => sayHours(step.hours),
  },
  { key: 'back', name: 'Have come back', isNumber: true, unit: 'share', value: (step) => step.back, show: (step) => percent(step.back) },
  { key: 'low', name: 'At least', isNumber: true, unit: 'share', value: (step) => step.low, show: (step) => percent(step.low) },
  { key: 'high', name: 'At most', isNumber: true, unit: 'share', value: (step) => step.high, show: (step) => percent(step.high) },
  { key: 'atRisk', name: 'Seen for so long', isNumber: true, value: (step) => step.atRisk },
];

/** Which share has come back by when, with the band in which it lies (Kaplan–Meier). */
function BackCurve({ data }: { data: CartsReport }) {
  const lines = useMemo(
    () => [{ name: 'have come back', until: data.windowDays * 24, steps: data.curve.map((step) => ({ ...step, time: step.hours })) }],
    [data],
  );
  if (!data.curve.length) return <p className="text-soft">No cart has come back yet.</p>;
  return (
    <div>
      <Curve
        lines={lines}
        span={data.windowDays * 24}
        ticks={Array.from({ length: data.windowDays + 1 }, (_, day) => [day * 24, String(day)] as const)}
        say={sayHours}
        about="Share that has come back, with its interval of 95 %"
        axis="Days since it was left"
        name="carts-that-come-back"
        title="Share of left carts that came back, by the time since they were left"
      />
      <AsTable name="How soon carts come back" rows={data.curve} columns={curveColumns} keyOf={(step) => String(step.hours)} />
    </div>
  );
}

/** The rate of each week, with its interval. */
function Weeks({ data }: { data: CartsReport }) {
  const weeks = data.weeks.filter(({ rate }) => rate !== null).slice(-8);
  if (!weeks.length) return null;
  return (
    <Spans
      label="Recovery rate by week"
      axis="Won back ÷ (won back + gone), by the week in which they were left"
      say={percent}
      spans={weeks.map(({ week, rate }) => ({
        key: week,
        name: `Week of ${sayCalendarDay(week)}`,
        value: rate!.share,
        low: rate!.low,
        high: rate!.high,
      }))}
    />
  );
}

function Groups({ data, by }: { data: CartsReport; by: keyof typeof GROUPS }) {
  const { currency } = data;
  type Line = CartsReport['groups'][number]['lines'][number];
  const columns = useMemo((): TableColumn<Line>[] => {
    const money = (key: 'value' | 'wonValue', name: string): TableColumn<Line> => ({
      key,
      name,
      isNumber: true,
      unit: currency,
      value: (one) => toMajor({ currency, minor: one[key] }),
      show: (one) => sayMoney({ currency, minor: one[key] }),
    });
    return [
      { key: 'key', name: by === 'value' ? `Cart, ${currency}` : 'Which', value: (one) => one.key },
      { key: 'carts', name: 'Left', isNumber: true, value: (one) => one.carts },
      money('value', 'Worth'),
      { key: 'won', name: 'Won back', isNumber: true, value: (one) => one.won },
      money('wonValue', 'Ordered, net'),
      {
        key: 'rate',
        name: 'Rate',
        isNumber: true,
        unit: 'share',
        value: (one) => one.rate?.share ?? null,
        show: (one) =>
          one.rate ? (
            <>
              {percent(one.rate.share)}
              <span className="block text-xs text-soft">
                {percent(one.rate.low)} to {percent(one.rate.high)}
              </span>
            </>
          ) : (
            <span className="text-soft">not decided</span>
          ),
      },
    ];
  }, [currency, by]);
  return (
    <Table
      name={`Carts by ${GROUPS[by]}`}
      rows={data.groups.find((group) => group.by === by)?.lines}
      columns={columns}
      keyOf={(one) => one.key}
    />
  );
}

function CartList({ query, state, onState }: { query: string; state: string; onState: (state: string) => void }) {
  const { zone } = useStore();
  const list = useInfiniteQuery({
    queryKey: ['carts', 'list', query.slice(0, 21), state],
    queryFn: ({ pageParam }) => api<CartsView>(`/carts/list?${query}&limit=50&offset=${pageParam}${state ? `&state=${state}` : ''}`),
    initialPageParam: 0,
    getNextPageParam: (last, pages) => (last.isMore ? pages.length * 50 : undefined),
    placeholderData: (before) => before,
  });
  const columns = useMemo(
    (): TableColumn<CartItemView>[] => [
      { key: 'left', name: 'Left', show: (one) => sayMoment(one.leftAt, zone) },
      {
        key: 'who',
        name: 'Whose',
        show: (one) => (
          <Link href={`/people/${one.person.id}`} className="hover:underline">
            {one.person.name}
          </Link>
        ),
      },
      {
        key: 'items',
        name: 'Items',
        show: (one) =>
          one.items.map(({ name, quantity }) => (quantity > 1 ? `${quantity} × ${name}` : name)).join(', ') || (
            <span className="text-soft">none told</span>
          ),
      },
      { key: 'value', name: 'Worth', isNumber: true, show: (one) => sayMoney(one.value) },
      { key: 'state', name: 'State', show: (one) => <Label tone={TONES[one.state]}>{STATES[one.state]}</Label> },
      {
        key: 'sent',
        name: 'Sent',
        show: (one) =>
          one.last ? (
            <>
              {plural(one.messages, 'message', 'messages')} <span className="text-soft">of {one.last.name}</span>
            </>
          ) : (
            <span className="text-soft">nothing</span>
          ),
      },
      {
        key: 'order',
        name: 'Came back',
        show: (one) =>
          one.order ? (
            <>
              {sayMoney(one.order.net)} <span className="text-soft">{HOW[one.order.how]}</span>
            </>
          ) : (
            ''
          ),
      },
    ],
    [zone],
  );
  const rows = list.data?.pages.flatMap((page) => page.carts) ?? [];
  return (
    <Part
      title="The carts"
      acts={
        <select aria-label="State" value={state} onChange={(event) => onState(event.target.value)} className={`${fieldClass} w-48`}>
          <option value="">all</option>
          {Object.entries(STATES).map(([key, name]) => (
            <option key={key} value={key}>
              {name}
            </option>
          ))}
        </select>
      }
    >
      {list.error ? (
        <Failed error={list.error} retry={() => void list.refetch()} />
      ) : (
        <Table name="Carts" rows={rows} columns={columns} keyOf={(one) => `${one.person.id}/${one.cartId}`} isPlain />
      )}
      {list.isSuccess && !rows.length && (
        <Empty title="No such cart was left in this period">A cart counts as left an hour after its last change.</Empty>
      )}
      {list.hasNextPage && (
        <div className="border-t border-line p-3 text-center">
          <Button disabled={list.isFetchingNextPage} onClick={() => void list.fetchNextPage()}>
            Show {sayCount(50)} more
          </Button>
        </div>
      )}
    </Part>
  );
}
