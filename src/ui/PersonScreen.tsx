'use client';

import { useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { CircleCheck, CircleSlash, Mail, MousePointerClick, Route, Shield, ShoppingBag, ShoppingCart, Eye, Dot, Ban } from 'lucide-react';
import Link from 'next/link';
import { useDeferredValue, useState, type ReactNode } from 'react';
import type { PersonView, TimelineItem, TimelineView } from '@/core/api';
import { sayMoney } from '@/core/money';
import { sayName, sayValue, type Because, type Value } from '@/core/rules';
import { api } from './api';
import { plural, sayDay, sayMoment, sayShort, sayTime } from './format';
import { Button, fieldClass } from './kit/form';
import { Empty, Failed, NotKnown } from './kit/states';
import { useStore } from './store';

/** One person: who they are, what may be sent to them, where they are in flows, and their whole story. */
export function PersonScreen({ initial }: { initial: PersonView }) {
  const store = useStore();
  const path = `/people/${encodeURIComponent(initial.id)}`;
  const { data: person } = useQuery({ queryKey: ['person', initial.id], queryFn: () => api<PersonView>(path), initialData: initial, refetchInterval: 5_000 });
  const name = [person.attributes.firstName, person.attributes.lastName].filter(Boolean).join(' ');
  const { email } = person.consent;
  const main = new Set(['firstName', 'lastName', 'email']);
  const average = person.orders.totals.map((one) => ({ ...one, minor: person.orders.count ? Math.round(one.minor / person.orders.count) : 0 }));

  return (
    <div className="mx-auto grid max-w-[1280px] grid-cols-[320px_1fr] gap-6 px-6 py-5">
      <aside className="grid content-start gap-4">
        <div>
          <Link href="/people" className="text-xs text-accent">All people</Link>
          <h1 className="text-xl font-semibold">{name || person.email || person.id}</h1>
          <p className="break-all text-soft">{person.email ?? 'No email address on file'}</p>
        </div>
        <Card title="Email">
          <p className={`flex items-center gap-2 font-semibold ${email.reachable ? 'text-good' : 'text-stop'}`} data-testid="reach">
            {email.reachable ? <CircleCheck size={16} aria-hidden="true" /> : <CircleSlash size={16} aria-hidden="true" />}
            {email.reachable ? 'Marketing may go out' : 'Marketing does not go out'}
          </p>
          <p className="text-soft">
            {email.because ? `${email.because[0]!.toUpperCase()}${email.because.slice(1)}. ` : ''}
            {email.at ? `Consent ${email.state} ${sayMoment(email.at, store.zone)}.` : 'Consent was never asked for.'}
          </p>
        </Card>
        <Card title="Orders">
          <Facts rows={[
            ['Orders', plural(person.orders.count, 'order', 'orders')],
            ['Value, net', person.orders.totals.length ? person.orders.totals.map((one) => sayMoney(one)).join(', ') : <NotKnown what="none yet" />],
            ['Average', person.orders.count ? average.map((one) => sayMoney(one)).join(', ') : <NotKnown what="none yet" />],
            ['First', person.orders.firstAt ? sayMoment(person.orders.firstAt, store.zone) : <NotKnown what="none yet" />],
            ['Last', person.orders.lastAt ? sayMoment(person.orders.lastAt, store.zone) : <NotKnown what="none yet" />],
          ]} />
        </Card>
        <Card title="In flows">
          {person.flows.length ? person.flows.map((flow, index) => (
            <div key={index} className="border-l-[3px] border-[var(--lane-1)] pl-2">
              <Link href={`/flows/${flow.flow}`} className="font-semibold hover:underline">{flow.name}</Link>
              <p className="text-soft">{flow.at ?? 'Inside'}, version {flow.version}{flow.key && <> for <span className="font-mono text-xs">{flow.key}</span></>}</p>
              {flow.nextAt && <p>{flow.next ? `Next: ${flow.next}` : 'Looked at again'}, {sayShort(flow.nextAt, store.zone)}</p>}
            </div>
          )) : <p className="text-soft">In no flow at this moment.</p>}
        </Card>
        <Card title="Attributes">
          <Facts rows={[
            ['External id', person.externalId ? <span className="font-mono text-xs">{person.externalId}</span> : <NotKnown />],
            ...Object.entries(person.attributes).filter(([key]) => !main.has(key)).map(([key, value]): [string, ReactNode] => [sayName(key), typeof value === 'string' ? value : sayValue(value)]),
            ['On file since', sayMoment(person.createdAt, store.zone)],
          ]} />
        </Card>
      </aside>
      <Story path={path} zone={store.zone} id={person.id} />
    </div>
  );
}

function Card({ title, children }: { title: string; children: ReactNode }) {
  return (
    <section className="grid gap-2 rounded-md border border-line bg-panel p-4">
      <h2 className="text-xs font-semibold text-soft">{title}</h2>
      {children}
    </section>
  );
}

function Facts({ rows }: { rows: [string, ReactNode][] }) {
  return (
    <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1">
      {rows.map(([term, value]) => (
        <div key={term} className="contents">
          <dt className="text-soft">{term}</dt>
          <dd className="min-w-0 break-words text-right tabular">{value}</dd>
        </div>
      ))}
    </dl>
  );
}

const KINDS = [['', 'Everything'], ['event', 'Events'], ['trace', 'Decisions'], ['send', 'Messages'], ['consent', 'Consent']] as const;

/** The time line: events, decisions with their reasons, messages, consent; newest first. */
function Story({ path, zone, id }: { path: string; zone: string; id: string }) {
  const [kind, setKind] = useState('');
  const [words, setWords] = useState('');
  const asked = useDeferredValue(words.trim());
  const query = `${kind ? `&kinds=${kind}` : ''}${asked ? `&q=${encodeURIComponent(asked)}` : ''}`;
  const story = useInfiniteQuery({
    queryKey: ['story', id, query],
    queryFn: ({ pageParam, signal }) => api<TimelineView>(`${path}/timeline?limit=60${query}${pageParam ? `&before=${pageParam}` : ''}`, { signal }),
    initialPageParam: '',
    getNextPageParam: (last) => last.next ?? undefined,
    refetchInterval: 5_000,
    placeholderData: (before) => before,
  });
  const items = story.data?.pages.flatMap((page) => page.items) ?? [];
  let day = '';
  return (
    <section aria-label="Time line" className="min-w-0 rounded-md border border-line bg-panel">
      <div className="flex items-center gap-2 border-b border-line px-4 py-2">
        <h2 className="mr-2 whitespace-nowrap font-semibold">Time line</h2>
        <div role="group" aria-label="What to show" className="flex">
          {KINDS.map(([key, label]) => (
            <button key={key} type="button" aria-pressed={kind === key} onClick={() => setKind(key)} className={`h-8 rounded-md px-2.5 ${kind === key ? 'bg-wash font-semibold text-accent' : 'hover:bg-wash'}`}>{label}</button>
          ))}
        </div>
        <div className="flex-1" />
        <input type="search" aria-label="Search the time line" placeholder="Search" value={words} onChange={(event) => setWords(event.target.value)} className={`${fieldClass} w-44`} />
      </div>
      {story.error ? <Failed error={story.error} retry={() => void story.refetch()} /> : story.isPending ? <Empty title="Loading…" /> : !items.length ? (
        <Empty title={query ? 'Nothing matches' : 'Nothing has happened yet'}>{query ? 'Show everything, or search for something else.' : 'Events of this person will stand here, with what each set off.'}</Empty>
      ) : (
        <ol data-testid="timeline">
          {items.map((item, index) => {
            const itsDay = sayDay(item.at, zone);
            const isNewDay = itsDay !== day;
            day = itsDay;
            return (
              <li key={`${item.at}-${index}`}>
                {isNewDay && <h3 className="border-b border-line bg-paper px-4 py-1 text-xs font-semibold text-soft">{itsDay}</h3>}
                <Item item={item} zone={zone} />
              </li>
            );
          })}
        </ol>
      )}
      {story.hasNextPage && <div className="p-3 text-center"><Button disabled={story.isFetchingNextPage} onClick={() => void story.fetchNextPage()}>{story.isFetchingNextPage ? 'Loading…' : 'Show earlier'}</Button></div>}
    </section>
  );
}

const ICONS: Record<string, typeof Mail> = { 'cart.updated': ShoppingCart, 'order.placed': ShoppingBag, 'product.viewed': Eye, 'message.opened': Mail, 'message.clicked': MousePointerClick, 'message.bounced': Ban, 'message.delivered': Mail };

const TITLES: Record<string, string> = {
  'cart.updated': 'Updated the cart', 'order.placed': 'Placed an order', 'order.cancelled': 'Order cancelled', 'order.refunded': 'Order refunded', 'product.viewed': 'Viewed a product', 'checkout.started': 'Started the checkout',
  'message.opened': 'Opened the message', 'message.clicked': 'Clicked in the message', 'message.delivered': 'Message delivered', 'message.bounced': 'Message bounced', 'message.complained': 'Complained about the message', 'person.updated': 'Details updated',
};

/** The one thing about an event that is worth a glance. */
function glance({ type, detail }: TimelineItem): string | null {
  if (!detail) return null;
  const { value, currency, name, orderId, items } = detail;
  const money = typeof value === 'number' && typeof currency === 'string' ? sayValue(value, currency) : null;
  if (type === 'cart.updated') return [money, Array.isArray(items) ? plural(items.length, 'item', 'items') : null].filter(Boolean).join(', ');
  if (type.startsWith('order.')) return [typeof orderId === 'string' ? orderId : null, money].filter(Boolean).join(', ');
  return typeof name === 'string' ? name : null;
}

function Item({ item, zone }: { item: TimelineItem; zone: string }) {
  const [isOpen, setOpen] = useState(false);
  const Icon = item.kind === 'trace' ? Route : item.kind === 'consent' ? Shield : item.kind === 'send' ? (item.type === 'skipped' ? Ban : Mail) : (ICONS[item.type] ?? Dot);
  const canOpen = Boolean(item.because ?? item.detail);
  const title = item.kind === 'event' ? (TITLES[item.type] ?? item.type) : item.says;
  const more = item.kind === 'event' ? glance(item) : null;
  const tone = item.type === 'goal' || item.type === 'order.placed' ? 'text-good' : item.type === 'skipped' || item.type === 'message.bounced' ? 'text-caution' : 'text-ink';
  return (
    <div className="border-b border-line">
      <button type="button" disabled={!canOpen} aria-expanded={canOpen ? isOpen : undefined} onClick={() => setOpen(!isOpen)} className="grid w-full grid-cols-[68px_20px_1fr_auto] items-baseline gap-3 px-4 py-1.5 text-left enabled:hover:bg-wash">
        <time dateTime={item.at} className="font-mono text-xs text-soft">{sayTime(item.at, zone)}</time>
        <Icon size={16} aria-hidden="true" className="translate-y-[3px] text-soft" />
        <span className={tone}>
          <span className={item.kind === 'trace' ? '' : 'font-semibold'}>{title}</span>
          {more && <span className="ml-2 text-soft tabular">{more}</span>}
          {item.because && !isOpen && <span className="block text-xs text-soft">{shortly(item.because)}</span>}
        </span>
        <span className="text-xs text-soft">{item.flow?.name ?? ''}</span>
      </button>
      {isOpen && (
        <div className="pb-3 pl-[115px] pr-4">
          {item.because && <Why because={item.because} />}
          {item.detail && <Contents detail={item.detail} />}
        </div>
      )}
    </div>
  );
}

function shortly(because: Because): string {
  const leaf = (one: Because): Because => (one.parts?.length ? leaf(one.parts.find((part) => part.holds === one.holds) ?? one.parts.at(-1)!) : one);
  const last = leaf(because);
  return `because ${last.saw ?? last.says}`;
}

/** An explanation: each condition, whether it held, and what was seen. */
function Why({ because }: { because: Because }) {
  return (
    <ul className="grid gap-1 text-sm">
      <li>
        <span className={`font-semibold ${because.holds ? 'text-good' : 'text-stop'}`}>{because.holds ? 'holds' : 'does not hold'}</span>
        : {because.says}
        {because.saw && <span className="text-soft"> ({because.saw})</span>}
        {!!because.parts?.length && <div className="ml-4 border-l border-line pl-3">{because.parts.map((part, index) => <Why key={index} because={part} />)}</div>}
      </li>
    </ul>
  );
}

function Contents({ detail }: { detail: Readonly<Record<string, Value>> }) {
  return (
    <dl className="grid grid-cols-[140px_1fr] gap-x-4 gap-y-0.5 text-sm">
      {Object.entries(detail).map(([name, value]) => (
        <div key={name} className="contents">
          <dt className="text-soft">{sayName(name)}</dt>
          <dd className="min-w-0 break-words">{value !== null && typeof value === 'object' ? <pre className="max-h-56 overflow-auto rounded-md bg-paper p-2 font-mono text-xs">{JSON.stringify(value, null, 2)}</pre> : typeof value === 'string' ? value : sayValue(value)}</dd>
        </div>
      ))}
    </dl>
  );
}
