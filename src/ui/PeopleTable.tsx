'use client';

import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { X } from 'lucide-react';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useDeferredValue, useEffect, useMemo, useRef, useState } from 'react';
import type { DirectoryView, FlowListView } from '@/core/api';
import { sayMoney } from '@/core/money';
import type { Rule } from '@/core/rules';
import { api } from './api';
import { plural, sayDate } from './format';
import { fieldClass } from './kit/form';
import { Empty, Failed, NotKnown } from './kit/states';
import { useStore } from './store';

const PAGE = 100;
const ROW = 40;

const REACH: Record<string, Rule> = {
  yes: { test: 'consent', channel: 'email', reachable: true },
  no: { test: 'consent', channel: 'email', reachable: false },
};
const ORDERED: Record<string, { name: string; rule: Rule }> = {
  month: { name: 'ordered in the last 30 days', rule: { test: 'did', event: 'order.placed', since: { last: 'P30D' } } },
  twice: { name: 'ordered twice or more', rule: { test: 'did', event: 'order.placed', times: 2, since: 'ever' } },
  quiet: { name: 'ordered, but not in the last 90 days', rule: { all: [{ test: 'did', event: 'order.placed', since: 'ever' }, { test: 'didNot', event: 'order.placed', since: { last: 'P90D' } }] } },
  never: { name: 'never ordered', rule: { test: 'didNot', event: 'order.placed', since: 'ever' } },
  left: { name: 'left a cart in the last 7 days', rule: { all: [{ test: 'did', event: 'cart.updated', since: { last: 'P7D' } }, { test: 'didNot', event: 'order.placed', since: { last: 'P7D' } }] } },
};
const SORTS = [['seen', 'Last seen'], ['created', 'Newest'], ['name', 'Name'], ['orders', 'Orders'], ['value', 'Value']] as const;

/** Everybody on file: search, filter by rule, a list that goes on as far as it is scrolled. */
export function PeopleTable({ rule, words: startWords, inside: startInside }: { rule: string; words: string; inside: string }) {
  const store = useStore();
  const router = useRouter();
  const [words, setWords] = useState(startWords);
  const [reach, setReach] = useState('');
  const [ordered, setOrdered] = useState('');
  const [inside, setInside] = useState(startInside);
  const [sort, setSort] = useState('seen');
  const asked = useDeferredValue(words.trim());
  const flows = useQuery({ queryKey: ['flows'], queryFn: () => api<FlowListView>('/flows') });

  const filter = useMemo(() => {
    const parts: Rule[] = [];
    if (rule) {
      try {
        parts.push(JSON.parse(rule) as Rule);
      } catch {
        // said below by the server, which reads it again
      }
    }
    if (REACH[reach]) parts.push(REACH[reach]);
    if (ORDERED[ordered]) parts.push(ORDERED[ordered].rule);
    const query = new URLSearchParams({ sort, limit: String(PAGE) });
    if (asked) query.set('q', asked);
    if (inside) query.set('inside', inside);
    if (parts.length) query.set('rule', JSON.stringify(parts.length === 1 ? parts[0] : { all: parts }));
    return query.toString();
  }, [rule, reach, ordered, inside, sort, asked]);

  const list = useInfiniteQuery({
    queryKey: ['people', filter],
    queryFn: ({ pageParam, signal }) => api<DirectoryView>(`/people?${filter}&offset=${pageParam}`, { signal }),
    initialPageParam: 0,
    getNextPageParam: (last) => (last.offset + last.people.length < (last.total ?? 0) && last.people.length ? last.offset + last.people.length : undefined),
    placeholderData: (before) => before,
  });
  const people = useMemo(() => list.data?.pages.flatMap((page) => page.people) ?? [], [list.data]);
  const total = list.data?.pages[0]?.total ?? 0;
  const says = list.data?.pages[0]?.rule;

  const scroller = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({ count: people.length + (list.hasNextPage ? 1 : 0), getScrollElement: () => scroller.current, estimateSize: () => ROW, overscan: 12 });
  const visible = rows.getVirtualItems();
  const lastVisible = visible.at(-1)?.index ?? 0;
  useEffect(() => {
    if (lastVisible >= people.length - 1 && list.hasNextPage && !list.isFetchingNextPage) void list.fetchNextPage();
  }, [lastVisible, people.length, list]);

  return (
    <div className="mx-auto flex h-[calc(100vh-48px)] max-w-[1280px] flex-col px-6 py-5">
      <div className="mb-3 flex items-end gap-3">
        <div className="mr-3">
          <h1 className="text-xl font-semibold">People</h1>
          <p className="text-soft" role="status" data-testid="people-count">{list.isPending ? 'Counting…' : `${plural(total, 'person', 'people')}${says || asked || inside ? ' match' : ' on file'}`}</p>
        </div>
        <div className="flex-1" />
        <input type="search" aria-label="Search people" placeholder="Name, email or id" value={words} onChange={(event) => setWords(event.target.value)} className={`${fieldClass} w-52`} />
        <select aria-label="Can be emailed" value={reach} onChange={(event) => setReach(event.target.value)} className={`${fieldClass} w-40`}>
          <option value="">emailed or not</option>
          <option value="yes">can be emailed</option>
          <option value="no">cannot be emailed</option>
        </select>
        <select aria-label="Orders" value={ordered} onChange={(event) => setOrdered(event.target.value)} className={`${fieldClass} w-52`}>
          <option value="">whatever they ordered</option>
          {Object.entries(ORDERED).map(([key, { name }]) => <option key={key} value={key}>{name}</option>)}
        </select>
        <select aria-label="Inside a flow" value={inside} onChange={(event) => setInside(event.target.value)} className={`${fieldClass} w-44`}>
          <option value="">in any flow or none</option>
          {flows.data?.flows.filter((flow) => flow.version !== null).map((flow) => <option key={flow.key} value={flow.key}>inside “{flow.name}”</option>)}
        </select>
        <select aria-label="Sort by" value={sort} onChange={(event) => setSort(event.target.value)} className={`${fieldClass} w-32`}>
          {SORTS.map(([key, name]) => <option key={key} value={key}>{name}</option>)}
        </select>
      </div>
      {says && (
        <p className="mb-3 flex items-center gap-2 rounded-md border border-line bg-panel px-3 py-1.5">
          <span>Everyone who <b>{says}</b></span>
          <button type="button" className="ml-auto flex items-center gap-1 text-accent" onClick={() => { setReach(''); setOrdered(''); router.replace('/people'); }}><X size={16} aria-hidden="true" /> Show everyone</button>
        </p>
      )}
      <div ref={scroller} className="min-h-0 flex-1 overflow-auto rounded-md border border-line bg-panel" aria-busy={list.isFetching}>
        {list.error ? <Failed error={list.error} retry={() => void list.refetch()} /> : list.isPending ? <Empty title="Loading people…" /> : !people.length ? (
          <Empty title={says || asked || inside ? 'Nobody matches' : 'Nobody is on file yet'}>{says || asked || inside ? 'Take something out of the filter.' : 'People appear here with their first event: send one to POST /api/v1/events.'}</Empty>
        ) : (
          <table className="grid w-full" aria-rowcount={total}>
            <thead className="sticky top-0 z-10 grid border-b border-line bg-panel text-xs text-soft">
              <tr className={ROW_GRID}>
                <th scope="col" className="py-2">Name</th><th scope="col" className="py-2">Email</th><th scope="col" className="py-2">Country</th><th scope="col" className="py-2">Email may go out</th>
                <th scope="col" className="py-2 text-right">Orders</th><th scope="col" className="py-2 text-right">Value, net</th><th scope="col" className="py-2 text-right">Last seen</th>
              </tr>
            </thead>
            <tbody className="relative grid" style={{ height: rows.getTotalSize() }}>
              {visible.map((item) => {
                const person = people[item.index];
                const style = { position: 'absolute' as const, top: 0, left: 0, right: 0, height: ROW, transform: `translateY(${item.start}px)` };
                if (!person) return <tr key="more" style={style}><td className="px-4 py-2 text-soft">Loading more…</td></tr>;
                const href = `/people/${encodeURIComponent(person.id)}`;
                return (
                  <tr key={person.id} aria-rowindex={item.index + 1} style={style} className={`${ROW_GRID} cursor-pointer items-center border-b border-line hover:bg-wash`} onClick={() => router.push(href)}>
                    <td className="truncate"><Link href={href} className="font-semibold hover:underline" onClick={(event) => event.stopPropagation()}>{person.name ?? <NotKnown what="name not known" />}</Link></td>
                    <td className="truncate">{person.email ?? <NotKnown />}</td>
                    <td className="truncate">{person.country ?? <NotKnown />}</td>
                    <td className={`truncate ${person.unreachable ? 'text-soft' : 'text-good'}`} title={person.unreachable ?? undefined}>{person.unreachable ? `no: ${person.unreachable}` : 'yes'}</td>
                    <td className={person.orders ? 'num' : 'num text-soft'}>{person.orders}</td>
                    <td className={person.orders ? 'num' : 'num text-soft'}>{sayMoney(person.value)}</td>
                    <td className="num">{sayDate(person.seenAt, store.zone)}</td>
                  </tr>
                );
              })}
            </tbody>
          </table>
        )}
      </div>
    </div>
  );
}

const ROW_GRID = 'grid grid-cols-[1.3fr_1.9fr_0.8fr_1.5fr_0.5fr_0.8fr_0.8fr] gap-3 px-4';
