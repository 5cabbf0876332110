'use client';

import { useQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import type { CohortsView, ForwardView, PredictionsView, ProductsView } from '@/core/api';
import { sayMoney } from '@/core/money';
import {
  api,
  AsTable,
  Curve,
  Empty,
  Failed,
  fieldClass,
  ofBefore,
  Page,
  Part,
  percent,
  plural,
  sayCount,
  sayDate,
  type TableColumn,
  useReading,
  useStore,
} from '../kit';
import { BoughtAgain } from '../again';
import { usePeriod } from './usePeriod';

type Cohort = CohortsView['cohorts'][number];
const monthName = (month: string) =>
  new Intl.DateTimeFormat('en-IE', { month: 'short', year: 'numeric', timeZone: 'UTC' }).format(new Date(`${month}-01T00:00:00Z`));

const SHOWN = {
  people: { name: 'who came back, of 100', of: (c: Cohort, m: number) => (c.people ? (c.later[m]?.people ?? 0) / c.people : 0) },
  orders: { name: 'orders a person so far', of: (c: Cohort, m: number) => soFar(c, m, 'orders') },
  revenue: { name: 'revenue a person so far', of: (c: Cohort, m: number) => soFar(c, m, 'revenue') },
} as const;
const soFar = (cohort: Cohort, month: number, of: 'orders' | 'revenue') =>
  cohort.people ? cohort.later.slice(0, month + 1).reduce((sum, one) => sum + one[of], 0) / cohort.people : 0;

/** People over time: how many of each month's first buyers come back, and what is expected of everybody. */
export function PeopleScreen() {
  const [shown, setShown] = useState<keyof typeof SHOWN>('people');
  const [product, setProduct] = useState('');
  const cohorts = useQuery({
    queryKey: ['cohorts', product],
    queryFn: () => api<CohortsView>(`/cohorts${product ? `?product=${encodeURIComponent(product)}` : ''}`),
    placeholderData: (before) => before,
  });
  const predictions = useQuery({ queryKey: ['predictions'], queryFn: () => api<PredictionsView>('/predictions') });
  const products = useQuery({ queryKey: ['products', '', 500], queryFn: () => api<ProductsView>('/products?limit=500') });
  const failed = cohorts.error ?? predictions.error;
  if (failed) return <Failed error={failed} retry={() => void Promise.all([cohorts.refetch(), predictions.refetch()])} />;
  if (!cohorts.data || !predictions.data) return <Empty title="Counting…" />;
  const all = cohorts.data.cohorts;
  const whole = all.filter(({ later }) => later.length > 1);
  const first = whole.reduce((sum, { people }) => sum + people, 0);
  const again = whole.reduce((sum, { later }) => sum + (later[1]?.people ?? 0), 0);
  return (
    <Page
      title="People over time"
      about={
        first > 0
          ? `${percent(again / first)} of those who order for the first time order again in the month after ` +
            `(${plural(first, 'person', 'people')} of ${plural(whole.length, 'month', 'months')}).`
          : 'How many of each month’s first buyers come back.'
      }
    >
      <div className="grid gap-5">
        <Part
          title="By the month of their first order"
          acts={
            <div className="flex gap-2">
              <select
                aria-label="Product of the first order"
                value={product}
                onChange={(event) => setProduct(event.target.value)}
                className={`${fieldClass} w-56`}
              >
                <option value="">whatever they began with</option>
                {products.data?.products.map((one) => (
                  <option key={one.sku} value={one.sku}>
                    {one.name}
                  </option>
                ))}
              </select>
              <select
                aria-label="What is shown"
                value={shown}
                onChange={(event) => setShown(event.target.value as typeof shown)}
                className={`${fieldClass} w-56`}
              >
                {Object.entries(SHOWN).map(([key, { name }]) => (
                  <option key={key} value={key}>
                    {name}
                  </option>
                ))}
              </select>
            </div>
          }
        >
          <div className="overflow-x-auto p-4" {...ofBefore(cohorts.isPlaceholderData)}>
            {all.length ? <Cohorts data={cohorts.data} shown={shown} /> : <Empty title="Nobody began with that in these months" />}
          </div>
        </Part>
        <Forward />
        <Part title="When they buy the same again">
          <BoughtAgain />
        </Part>
        <Expected data={predictions.data} />
      </div>
    </Page>
  );
}

/** A row a month, a cell for each month after it, the darker the more. */
function Cohorts({ data, shown }: { data: CohortsView; shown: keyof typeof SHOWN }) {
  const { currency, cohorts } = data;
  const { of } = SHOWN[shown];
  const most = Math.max(...cohorts.map(({ later }) => later.length));
  const highest = Math.max(1e-9, ...cohorts.flatMap((one) => one.later.map((_, m) => (m || shown !== 'people' ? of(one, m) : 0))));
  const say = (value: number) =>
    shown === 'people'
      ? percent(value)
      : shown === 'orders'
        ? String(Math.round(value * 100) / 100)
        : sayMoney({ currency, minor: Math.round(value) });
  return (
    <table className="text-sm tabular">
      <caption className="sr-only">Cohorts by month of first order</caption>
      <thead>
        <tr className="text-xs text-soft">
          <th className="pr-4 text-left font-normal">First order</th>
          <th className="pr-3 text-right font-normal">People</th>
          {Array.from({ length: most }, (_, m) => (
            <th key={m} scope="col" className="px-1 text-center font-normal">
              {m === 0 ? 'that month' : `+${m}`}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {cohorts.map((one) => (
          <tr key={one.month}>
            <th scope="row" className="whitespace-nowrap py-0.5 pr-4 text-left font-normal">
              {monthName(one.month)}
            </th>
            <td className="pr-3 text-right">{sayCount(one.people)}</td>
            {one.later.map((later, m) => {
              const value = of(one, m);
              const weight = shown === 'people' && m === 0 ? 0 : value / highest;
              return (
                <td key={m} className="p-0.5">
                  <span
                    className="block min-w-16 rounded-sm px-1.5 py-1 text-center"
                    style={{ background: `color-mix(in srgb, var(--lane-1) ${Math.round(weight * 45)}%, var(--panel))` }}
                    title={[
                      plural(later.people, 'person', 'people'),
                      plural(later.orders, 'order', 'orders'),
                      sayMoney({ currency, minor: later.revenue }),
                    ].join(', ')}
                  >
                    {say(value)}
                  </span>
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

type Step = ForwardView['steps'][number];
const STEP_WORDS: { readonly [step in Step['step']]: { name: string; who: string; on: string; shown: string } } = {
  lead: { name: 'Known, to the first order', who: 'came to be known without an order', on: 'ordered', shown: 'to the first' },
  first: { name: 'First to second order', who: 'ordered for the first time', on: 'ordered again', shown: 'to the second' },
  second: { name: 'Second to third: loyal', who: 'ordered for the second time', on: 'ordered a third time', shown: 'to the third' },
};
const YEAR = 365;
const between = ({ low, high }: { low: number; high: number }) => `${percent(low)} to ${percent(high)}`;

/** How people go on: from being known to the first order, to the second, to the third. */
function Forward() {
  const { query, field, key, error: clockError, retry } = usePeriod('365');
  const { data, error, refetch, isPlaceholderData } = useQuery({
    queryKey: ['forward', key],
    queryFn: () => api<ForwardView>(`/forward?${query}`),
    enabled: query !== null,
    placeholderData: (before) => before,
  });
  const lines = useMemo(
    () =>
      (data?.steps ?? []).map(({ step, curve, seen }) => ({
        name: STEP_WORDS[step].shown,
        until: seen,
        steps: curve.map(({ days: time, ...rest }) => ({ time, ...rest })),
      })),
    [data],
  );
  return (
    <Part title="How they go on" acts={field}>
      {(clockError ?? error) ? (
        <Failed error={(clockError ?? error)!} retry={() => (clockError ? retry() : void refetch())} />
      ) : !data ? (
        <Empty title="Counting…" />
      ) : data.steps.every(({ people }) => !people) ? (
        <Empty title="Nobody came to be known or ordered in this time" />
      ) : (
        <div className="grid grid-cols-[1fr_560px] gap-8 p-4" {...ofBefore(isPlaceholderData)}>
          <div className="grid content-start gap-4">
            <dl className="grid gap-4">
              {data.steps.map((step) => (
                <StepFigures key={step.step} step={step} />
              ))}
            </dl>
            <p className="text-xs text-soft">
              Shares by a day are Kaplan–Meier: who has not had that many days yet counts for as long as they were seen. With the third
              order somebody counts as loyal.
            </p>
          </div>
          <div>
            <Curve
              lines={lines}
              span={YEAR}
              ticks={[0, 30, 90, 180, 270, 365].map((day) => [day, String(day)] as const)}
              say={(day) => plural(day, 'day', 'days')}
              about="Share that has gone on:"
              axis="Days since the step before"
              name="how-they-go-on"
              title="Share of people who have gone on to their next order, by days since the step before"
            />
            <AsTable
              name="How they go on, by month"
              rows={data.steps.flatMap((step) => step.months.map((month) => ({ step: step.step, ...month })))}
              columns={monthColumns}
              keyOf={(row) => `${row.step}/${row.month}`}
            />
          </div>
        </div>
      )}
    </Part>
  );
}

function StepFigures({ step: { step, people, wentOn, within, half } }: { step: Step }) {
  const words = STEP_WORDS[step];
  return (
    <div data-testid={`step-${step}`}>
      <dt className="font-semibold">{words.name}</dt>
      <dd className="tabular">
        {plural(people, 'person', 'people')} {words.who}; {sayCount(wentOn)} {words.on} since.
        {within.length > 0 && (
          <ul className="mt-1">
            {within.map((one) => (
              <li key={one.days}>
                within {plural(one.days, 'day', 'days')}: <b>{percent(one.share)}</b> <span className="text-soft">({between(one)})</span>
              </li>
            ))}
          </ul>
        )}
        {half !== null && (
          <p>
            Half had {words.on === 'ordered' ? 'ordered' : 'gone on'} after {plural(half, 'day', 'days')}.
          </p>
        )}
      </dd>
    </div>
  );
}

type MonthRow = Step['months'][number] & { readonly step: Step['step'] };
const monthColumns: TableColumn<MonthRow>[] = [
  { key: 'step', name: 'Step', value: (row) => STEP_WORDS[row.step].name },
  { key: 'month', name: 'Taken in', value: (row) => row.month, show: (row) => monthName(row.month) },
  { key: 'people', name: 'People', isNumber: true, value: (row) => row.people },
  { key: 'wentOn', name: 'Went on since', isNumber: true, value: (row) => row.wentOn },
  {
    key: 'within90',
    name: 'Within 90 days',
    isNumber: true,
    unit: 'share',
    value: (row) => row.within90?.share ?? null,
    show: (row) => (row.within90 ? `${percent(row.within90.share)} (${between(row.within90)})` : 'not over yet'),
  },
];

type Held = NonNullable<NonNullable<PredictionsView['fit']>['held']>;
type Group = Held['groups'][number];
const one = (value: number) => String(Math.round(value * 10) / 10);
const heldColumns: TableColumn<Group>[] = [
  { key: 'repeats', name: 'Repeat orders by then', value: (group) => group.repeats },
  { key: 'people', name: 'People', isNumber: true, value: (group) => group.people },
  { key: 'expected', name: 'Orders expected', isNumber: true, value: (group) => group.expected, show: (group) => one(group.expected) },
  { key: 'actual', name: 'Orders placed', isNumber: true, value: (group) => group.actual },
];

/** What is expected of everybody, and how well an earlier fit foretold what came. */
function Expected({ data }: { data: PredictionsView }) {
  const { zone } = useStore();
  const { fit, currency } = data;
  if (!fit)
    return (
      <Part title="What is expected">
        <Empty title="Too few people have ordered again yet">
          With a hundred buyers, twenty of whom came back, orders to come are reckoned once a week.
        </Empty>
      </Part>
    );
  const money = (minor: number) => sayMoney({ currency, minor });
  return (
    <Part title="What is expected">
      <div className="grid grid-cols-2 gap-8 p-4">
        <div className="grid content-start gap-3">
          <p>
            Of {plural(fit.people, 'person', 'people')} who have ordered about <b>{sayCount(Math.round(fit.active))}</b> still buy. In 90
            days they are expected to place <b>{sayCount(Math.round(fit.orders90))}</b> orders, within a year for <b>{money(fit.year)}</b>.
          </p>
          <p>Whoever is worth {money(fit.high)} a year or more is of the upper tenth.</p>
          <p className="text-xs text-soft">
            Reckoned {sayDate(fit.at, zone)} on the store’s own orders, once a week: how often people buy and when they stop by BG/NBD
            (Fader, Hardie & Lee 2005), what an order comes to by gamma-gamma (Fader & Hardie 2013). Each person’s page shows theirs.
          </p>
        </div>
        {fit.held ? (
          <HeldAgainst held={fit.held} />
        ) : (
          <p className="text-soft">The store’s orders do not reach back far enough to hold this against yet.</p>
        )}
      </div>
    </Part>
  );
}

const W = 540;
const H = 170;

/** Orders expected and placed in the weeks that were kept back, by how often people had come back before. */
function HeldAgainst({ held }: { held: Held }) {
  const { at, read, keys } = useReading(held.groups.length);
  const rows = useMemo(
    () => held.groups.map((group) => ({ ...group, e: group.expected / group.people, a: group.actual / group.people })),
    [held],
  );
  const most = Math.max(...rows.flatMap(({ e, a }) => [e, a]), 0.01);
  const shown = at === null ? null : rows[at];
  const x = (place: number) => 50 + (place * (W - 70)) / rows.length;
  const y = (value: number) => H - 40 - (value / most) * (H - 60);
  const wide = (W - 70) / rows.length / 3;
  return (
    <div>
      <p>
        A fit of {plural(held.weeks, 'week', 'weeks')} ago expected <b>{sayCount(Math.round(held.expected))}</b> orders of{' '}
        {plural(held.people, 'person', 'people')} up to now; they placed <b>{sayCount(held.actual)}</b>.
      </p>
      <p className="h-5 text-sm tabular" aria-live="polite">
        {shown ? (
          <>
            {shown.repeats} repeat orders: expected {one(shown.e)}, placed {one(shown.a)} a person
          </>
        ) : (
          <span className="flex gap-4 text-soft">
            <span className="flex items-center gap-1.5">
              <i className="size-2.5 border-2 border-[var(--lane-0)]" /> expected a person
            </span>
            <span className="flex items-center gap-1.5">
              <i className="size-2.5 bg-[var(--lane-1)]" /> placed
            </span>
          </span>
        )}
      </p>
      <svg
        width={W}
        height={H}
        role="img"
        aria-label="Orders expected and placed a person, by repeat orders before; arrow keys read them"
        className="max-w-full"
        {...keys}
      >
        {[0, most / 2, most].map((tick) => (
          <g key={tick}>
            <line x1={46} x2={W - 16} y1={y(tick)} y2={y(tick)} stroke="var(--line)" strokeWidth={tick ? 0.5 : 1} />
            <text x={40} y={y(tick) + 4} textAnchor="end" fontSize={11} className="fill-soft tabular">
              {Math.round(tick * 100) / 100}
            </text>
          </g>
        ))}
        {rows.map((group, place) => (
          <g key={group.repeats} onMouseEnter={() => read(place)}>
            <rect x={x(place)} y={10} width={wide * 3} height={H - 50} fill={at === place ? 'var(--wash)' : 'transparent'} />
            <rect
              x={x(place) + wide * 0.4}
              y={y(group.e)}
              width={wide}
              height={y(0) - y(group.e)}
              fill="none"
              stroke="var(--lane-0)"
              strokeWidth={2}
            />
            <rect x={x(place) + wide * 1.6} y={y(group.a)} width={wide} height={y(0) - y(group.a)} fill="var(--lane-1)" />
            <text x={x(place) + wide * 1.5} y={H - 24} textAnchor="middle" fontSize={11} className="fill-soft">
              {group.repeats}
            </text>
          </g>
        ))}
        <text x={W - 16} y={H - 6} textAnchor="end" fontSize={11} className="fill-soft">
          Repeat orders up to then; orders a person in {held.weeks} weeks
        </text>
      </svg>
      <AsTable name="Held against what came" rows={held.groups} columns={heldColumns} keyOf={(group) => group.repeats} />
    </div>
  );
}
