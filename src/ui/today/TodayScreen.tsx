'use client';

import { useQuery } from '@tanstack/react-query';
import { clsx } from 'clsx';
import { Check } from 'lucide-react';
import { useEffect, useRef, useState } from 'react';
import type { FirstStep, TodayView } from '@/core/api';
import { sayMoney } from '@/core/money';
import { localDate } from '@/core/time';
import { api, Empty, Failed, plural, sayCalendarDay, sayCount, sayMoment, sayTime, useStore, Link } from '../kit';

const KEPT = 'viatic.last-visit';

/** When somebody was here last on this browser, and that they are here now. */
function useLastVisit(): string | null | undefined {
  const [since, setSince] = useState<string | null | undefined>(undefined);
  useEffect(() => {
    let before: string | null = null;
    try {
      before = sessionStorage.getItem(KEPT) ?? localStorage.getItem(KEPT);
      // the same visit until the browser is closed
      sessionStorage.setItem(KEPT, before ?? new Date().toISOString());
      localStorage.setItem(KEPT, new Date().toISOString());
    } catch {
      // nothing is kept: then nothing is told of what happened since
    }
    setSince(before);
  }, []);
  return since;
}

/** Where the day starts: takings, the departures board, and what needs attention. */
export function TodayScreen() {
  const { zone } = useStore();
  const since = useLastVisit();
  const { data, error, refetch } = useQuery({
    queryKey: ['today', since],
    queryFn: () => api<TodayView>(`/today${since ? `?since=${encodeURIComponent(since)}` : ''}`),
    enabled: since !== undefined,
    refetchInterval: 60_000,
  });
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return <Empty title="Looking…" />;
  const { currency, today, lastWeek } = data;
  return (
    <div className="mx-auto grid max-w-[1280px] grid-cols-[minmax(0,1fr)_400px] items-start gap-6 px-6 py-5">
      <section aria-label="Departures" className="overflow-hidden rounded-md bg-[#1f2a36] text-[#f3efe4]" data-testid="board">
        <div className="grid gap-1 px-5 pb-3 pt-4">
          <h1 className="text-xl font-semibold">Today</h1>
          <p className="grid text-sm tabular">
            <Money
              name="Taken"
              now={today.takings}
              then={lastWeek.takings}
              currency={currency}
              more={plural(today.orders, 'order', 'orders')}
            />
            <Money name="Credited" now={today.credited} then={lastWeek.credited} currency={currency} />
          </p>
        </div>
        <Board data={data} zone={zone} />
      </section>
      <aside aria-label="What needs attention" className="grid content-start gap-4">
        {data.first && <FirstHour steps={data.first} />}
        <h2 className="font-semibold">What needs attention</h2>
        {data.attention.length ? (
          <ul className="grid gap-3">
            {data.attention.map((one) => (
              <li
                key={one.key}
                className={clsx(
                  'grid gap-1.5 border-l-4 bg-panel px-4 py-3',
                  one.level === 'stop' ? 'border-stop' : one.level === 'caution' ? 'border-caution' : 'border-[var(--lane-1)]',
                )}
              >
                <p>{one.says}</p>
                <Link href={one.href} className="justify-self-start font-semibold text-accent underline">
                  {one.act}
                </Link>
              </li>
            ))}
          </ul>
        ) : (
          <p className="text-soft">{data.first ? 'Nothing yet.' : 'All is well: nothing needs you.'}</p>
        )}
        {data.since.length > 0 && (
          <>
            <h2 className="mt-2 font-semibold">Since you were here</h2>
            <ul className="grid max-h-[280px] gap-1 overflow-y-auto text-sm" tabIndex={0} aria-label="What others did since you were here">
              {data.since.map((one) => (
                <li key={one.at + one.says}>
                  <b>{one.actor}</b> {one.says} <span className="text-soft">{sayMoment(one.at, zone)}</span>
                </li>
              ))}
            </ul>
          </>
        )}
      </aside>
    </div>
  );
}

const FIRST_WORDS: { readonly [step in FirstStep['step']]: { readonly name: string; readonly says: string; readonly href: string } } = {
  events: {
    name: 'Tell the first event',
    says: 'Make a source for the shop under Data and send it a test event; it shows there as it comes in.',
    href: '/data',
  },
  flow: { name: 'Publish a flow', says: 'Begin with one that is ready, such as carts that are left.', href: '/flows' },
  entered: { name: 'Somebody enters it', says: 'Rehearse it first with somebody made up; then be the first yourself.', href: '/flows' },
  sent: { name: 'A message goes out', says: 'It shows on the board as it is due, and in Sending once it went.', href: '/settings/sending' },
  order: { name: 'The first order', says: 'It shows in the ledger with the messages that led to it.', href: '/revenue' },
};

/** With what a store begins: each marks itself done by what has really happened. */
function FirstHour({ steps }: { steps: readonly FirstStep[] }) {
  const next = steps.find(({ isDone }) => !isDone)?.step;
  return (
    <section aria-label="The first hour" className="grid gap-3 border-b border-line pb-4">
      <h2 className="font-semibold">The first hour</h2>
      <ol className="grid gap-2">
        {steps.map(({ step, isDone }) => {
          const { name, says, href } = FIRST_WORDS[step];
          return (
            <li key={step} className="flex gap-3">
              <span
                className={clsx(
                  'mt-0.5 grid size-5 shrink-0 place-items-center rounded-full border text-xs',
                  isDone ? 'border-good text-good' : 'border-line',
                )}
              >
                {isDone && <Check size={13} aria-hidden="true" />}
              </span>
              <span className={clsx(isDone && 'text-soft')}>
                {isDone ? (
                  <>
                    {name} <span className="sr-only">(done)</span>
                  </>
                ) : (
                  <Link href={href} className="font-semibold text-accent underline">
                    {name}
                  </Link>
                )}
                {step === next && <span className="block text-sm text-soft">{says}</span>}
              </span>
            </li>
          );
        })}
      </ol>
    </section>
  );
}

function Money({ name, now, then, currency, more }: { name: string; now: number; then: number; currency: string; more?: string }) {
  const change = then > 0 ? Math.round((100 * (now - then)) / then) : null;
  return (
    <span>
      {name} <b className="font-mono">{sayMoney({ currency, minor: now })}</b>
      {more && ` by ${more}`}
      {change === null
        ? ', nothing a week ago by this time'
        : change === 0
          ? ', as much as a week ago by this time'
          : `, ${Math.abs(change)} % ${change > 0 ? 'more' : 'less'} than a week ago by this time`}
    </span>
  );
}

/** The board: what has gone lately and what is due, by hour, with the days at the left. */
function Board({ data, zone }: { data: TodayView; zone: string }) {
  const list = useRef<HTMLDivElement>(null);
  // the board opens at what is due next: what has gone stands above it
  useEffect(() => {
    const next = list.current?.querySelector<HTMLElement>('[data-next]');
    if (list.current && next) list.current.scrollTop = Math.max(0, next.offsetTop - 70);
  }, []);
  if (!data.board.length)
    return (
      <p className="px-5 pb-6 pt-3 opacity-90">Nothing has gone out in the last three hours, and nothing is due in the next two days.</p>
    );
  const first = data.board.findIndex(({ state }) => state !== 'gone');
  let day = '';
  let hour = '';
  return (
    <div ref={list} className="relative max-h-[calc(100vh-200px)] overflow-y-auto">
      <table className="w-full font-mono text-[13px]">
        <thead className="sticky top-0 bg-[#1f2a36]">
          <tr className="text-left text-xs">
            <th className="px-5 py-1.5 font-normal">Time</th>
            <th className="py-1.5 font-normal">Flow</th>
            <th className="py-1.5 font-normal">Message</th>
            <th className="py-1.5 pr-4 text-right font-normal">People</th>
            <th className="py-1.5 pr-5 font-normal">State</th>
          </tr>
        </thead>
        <tbody>
          {data.board.map((line, place) => {
            const date = localDate(Date.parse(line.hour), zone);
            const isDay = date !== day;
            const isHour = line.hour !== hour;
            day = date;
            hour = line.hour;
            return (
              <tr
                data-next={place === first || undefined}
                key={`${line.hour}/${line.flow.key}/${line.message}/${line.state}`}
                className={clsx('align-top', isHour && 'border-t border-[#4a5866]')}
              >
                <td className="whitespace-nowrap px-5 py-1.5">
                  {isDay && <span className="block font-sans text-xs font-semibold text-[#e9c46a]">{sayCalendarDay(date)}</span>}
                  {isHour && sayTime(line.hour, zone).slice(0, 5)}
                </td>
                <td className="py-1.5 pr-3">
                  <Link href={`/flows/${line.flow.key}`} className="hover:underline">
                    {line.flow.name}
                  </Link>
                </td>
                <td className="py-1.5 pr-3">{line.message}</td>
                <td className="py-1.5 pr-4 text-right tabular">{sayCount(line.people)}</td>
                <td className={clsx('py-1.5 pr-5', line.state === 'held' && 'text-[#e9c46a]', line.state === 'gone' && 'text-[#9fb8a3]')}>
                  {line.state}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </div>
  );
}
