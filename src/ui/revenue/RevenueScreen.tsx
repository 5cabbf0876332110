'use client';

import { useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/react-query';
import { useCallback, useMemo, useRef, useState } from 'react';
import type { LedgerView, RevenueReport, RevenueSettingsView } from '@/core/api';
import { sayMoney } from '@/core/money';
import { localDate } from '@/core/time';
import { CREDIT_MODELS, GRAINS, MODEL_WORDS, SPLIT_WORDS, type CreditModel, type Grain } from '@/core/revenue';
import {
  api,
  attempt,
  Button,
  Empty,
  Failed,
  fieldClass,
  Label,
  ofBefore,
  plural,
  sayCount,
  sayMoment,
  sayShare,
  Table,
  useStore,
} from '../kit';
import { CountingDialog } from './CountingDialog';
import { DayChart } from './DayChart';
import { OrderDialog } from './OrderDialog';
import { ledgerColumnsOf, lineColumnsOf, linesOf, modelColumnsOf, splitColumnsOf, type Behind, type Order } from './revenueColumns';
import { usePeriod } from './usePeriod';

/** What is to be said beside a split. */
const ABOUT: { readonly [by: string]: string } = {
  channel: 'Only credit is split: a channel takes nothing by itself.',
  arm: 'Only credit is split, by the arm that somebody had drawn. What an arm adds stands under Tests.',
  link: 'Only the credit of clicks is split, by the link that was clicked last.',
  product: 'An order counts whole for each that it holds: the lines do not add up to the takings.',
  category: 'An order counts whole for each that it holds: the lines do not add up to the takings.',
  segment: 'By who is in a segment now. Somebody may be in several: the lines do not add up to the takings.',
};

/** Takings, and what of them is credited to messages: to the cent, with the rest. */
export function RevenueScreen() {
  const store = useStore();
  const client = useQueryClient();
  const { days, query: since, key: periodKey, own, setOwn, field: periodField, error: clockError, retry } = usePeriod('30');
  const [by, setBy] = useState('flow');
  const [grain, setGrain] = useState<Grain>('day');
  const [chosen, setModel] = useState<CreditModel | null>(null);
  const [isSideBySide, setSideBySide] = useState(false);
  const [behind, setBehind] = useState<Behind | null>(null);
  const [opened, setOpened] = useState<Order | null>(null);
  const [isCounting, setCounting] = useState(false);
  const list = useRef<HTMLElement>(null);
  const settings = useQuery({
    queryKey: ['revenue-settings'],
    queryFn: () => api<RevenueSettingsView>('/revenue/settings'),
    refetchInterval: (query) => (query.state.data?.rebuild ? 2_000 : 60_000),
  });
  const model = chosen ?? settings.data?.settings.model ?? 'last-click';
  const period = since && `${since}&model=${model}`;
  const report = useQuery({
    queryKey: ['revenue', periodKey, by, grain, model, settings.data?.rebuild?.done ?? null],
    queryFn: () => api<RevenueReport>(`/revenue?${period}&by=${by}&grain=${grain}`),
    enabled: period !== null && settings.isSuccess,
    placeholderData: (before) => before,
  });
  const ledger = useInfiniteQuery({
    queryKey: ['ledger', periodKey, model, behind?.query ?? '', settings.data?.rebuild?.done ?? null],
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
  const failed = clockError ?? settings.error ?? report.error;
  if (failed)
    return <Failed error={failed} retry={() => (clockError ? retry() : void Promise.all([settings.refetch(), report.refetch()]))} />;
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
            {sayAgainst(takings, before.takings, days === '1' ? 'the day before' : `the ${days} days before`)}.
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
        {periodField}
        <Button onClick={() => setCounting(true)} className="shrink-0">
          How it is counted…
        </Button>
      </div>
      <Standing settings={settings.data} onCheck={() => void client.invalidateQueries({ queryKey: ['revenue-settings'] })} />
      <div className="grid grid-cols-[300px_1fr] gap-5" {...ofBefore(report.isPlaceholderData)}>
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
              more={`${sayMoney({ currency: other.currency, minor: other.credited })} credited; ${
                other.own ? `${say(other.own.takings)} by the rates of each day` : 'no rates on file for these days'
              }`}
            />
          ))}
        </dl>
        <div className="rounded-md border border-line bg-panel p-4">
          <DayChart
            days={report.data.days}
            grain={report.data.grain}
            currency={currency}
            end={own?.to ?? localDate(Date.parse(report.data.to), store.zone)}
            onZoom={setOwn}
            field={
              <select
                aria-label="How coarse"
                value={grain}
                onChange={(event) => setGrain(event.target.value as Grain)}
                className={`${fieldClass} w-28`}
              >
                {GRAINS.map((one) => (
                  <option key={one} value={one}>
                    by {one}
                  </option>
                ))}
              </select>
            }
          />
        </div>
      </div>
      <section className="rounded-md border border-line bg-panel" {...ofBefore(report.isPlaceholderData)}>
        <div className="flex items-center gap-3 border-b border-line px-4 py-2">
          <h2 className="font-semibold">
            <label htmlFor="split-by">By</label>
          </h2>
          <select id="split-by" value={by} onChange={(event) => setBy(event.target.value)} className={`${fieldClass} w-56`}>
            {Object.entries(SPLIT_WORDS).map(([key, name]) => (
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
          <span className="text-sm text-soft">{ABOUT[by]}</span>
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
        {...ofBefore(ledger.isPlaceholderData)}
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
        changes="/revenue/check"
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
