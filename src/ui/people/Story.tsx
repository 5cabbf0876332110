'use client';

import { useInfiniteQuery } from '@tanstack/react-query';
import { Ban, Dot, Eye, ListPlus, Mail, Merge, MousePointerClick, Route, Shield, ShoppingBag, ShoppingCart } from 'lucide-react';
import { useDeferredValue, useState } from 'react';
import type { TimelineItem, TimelineView } from '@/core/api';
import { sayEvent, sayName, sayValue, type Because, type Value } from '@/core/rules';
import { Why } from '../rules';
import { api, Button, Empty, Failed, fieldClass, plural, sayDay, sayTime } from '../kit';

const KINDS = [
  ['', 'Everything'],
  ['event', 'Events'],
  ['trace', 'Decisions'],
  ['send', 'Messages'],
  ['consent', 'Consent'],
  ['note', 'Notes'],
] as const;

/** The time line: events, decisions with their reasons, messages, consent; newest first. */
export function Story({ path, zone, id }: { path: string; zone: string; id: string }) {
  const [kind, setKind] = useState('');
  const [words, setWords] = useState('');
  const [type, setType] = useState('');
  const asked = useDeferredValue(words.trim());
  const query = `${type ? `&type=${encodeURIComponent(type)}` : ''}${kind ? `&kinds=${kind}` : ''}${asked ? `&q=${encodeURIComponent(asked)}` : ''}`;
  const story = useInfiniteQuery({
    queryKey: ['story', id, query],
    queryFn: ({ pageParam, signal }) =>
      api<TimelineView>(`${path}/timeline?limit=60${query}${pageParam ? `&before=${pageParam}` : ''}`, { signal }),
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
            <button
              key={key}
              type="button"
              aria-pressed={kind === key}
              onClick={() => setKind(key)}
              className={`h-8 rounded-md px-2.5 ${kind === key ? 'bg-wash font-semibold text-accent' : 'hover:bg-wash'}`}
            >
              {label}
            </button>
          ))}
        </div>
        <div className="flex-1" />
        {type && (
          <button
            type="button"
            className="rounded-md bg-wash px-2 py-1 font-mono text-xs"
            onClick={() => setType('')}
            aria-label={`Show other types than ${type} too`}
          >
            {type} ×
          </button>
        )}
        <input
          type="search"
          aria-label="Search the time line"
          placeholder="Search"
          value={words}
          onChange={(event) => setWords(event.target.value)}
          className={`${fieldClass} w-44`}
        />
      </div>
      {story.error ? (
        <Failed error={story.error} retry={() => void story.refetch()} />
      ) : story.isPending ? (
        <Empty title="Loading…" />
      ) : !items.length ? (
        <Empty title={query ? 'Nothing matches' : 'Nothing has happened yet'}>
          {query ? 'Show everything, or search for something else.' : 'Events of this person will stand here, with what each set off.'}
        </Empty>
      ) : (
        <ol data-testid="timeline" aria-busy={story.isPlaceholderData}>
          {items.map((item, index) => {
            const itsDay = sayDay(item.at, zone);
            const isNewDay = itsDay !== day;
            day = itsDay;
            return (
              <li key={`${item.at}-${index}`}>
                {isNewDay && <h3 className="border-b border-line bg-paper px-4 py-1 text-xs font-semibold text-soft">{itsDay}</h3>}
                <Item item={item} zone={zone} onType={setType} />
              </li>
            );
          })}
        </ol>
      )}
      {story.hasNextPage && (
        <div className="p-3 text-center">
          <Button disabled={story.isFetchingNextPage} onClick={() => void story.fetchNextPage()}>
            {story.isFetchingNextPage ? 'Loading…' : 'Show earlier'}
          </Button>
        </div>
      )}
    </section>
  );
}

const ICONS: Record<string, typeof Mail> = {
  'cart.updated': ShoppingCart,
  'order.placed': ShoppingBag,
  'product.viewed': Eye,
  'message.opened': Mail,
  'message.clicked': MousePointerClick,
  'message.bounced': Ban,
  'message.sent': Mail,
  'message.delivered': Mail,
  'list.joined': ListPlus,
};

const TITLES: Record<string, string> = {
  'cart.updated': 'Updated the cart',
  'order.placed': 'Placed an order',
  'order.cancelled': 'Order cancelled',
  'order.refunded': 'Order refunded',
  'order.paid': 'Paid the order',
  'order.shipped': 'Order sent',
  'order.delivered': 'Order delivered',
  'product.viewed': 'Viewed a product',
  'product.restocked': 'A product is there again',
  'product.repriced': 'A product costs something else',
  'code.issued': 'Got a code',
  'code.used': 'Used a code',
  'code.expired': 'A code expired unused',
  'message.answered': 'Answered a message',
  'checkout.started': 'Started the checkout',
  'message.sent': 'Message sent',
  'flow.handed': 'Handed over to another flow',
  'flow.due': 'Was due for a flow',
  'message.opened': 'Opened the message',
  'message.clicked': 'Clicked in the message',
  'message.delivered': 'Message delivered',
  'message.bounced': 'Message bounced',
  'message.complained': 'Complained about the message',
  'person.updated': 'Details updated',
  'page.viewed': 'Viewed a page',
  'page.left': 'Left a page',
  'form.submitted': 'Submitted a form',
  'list.joined': 'Joined a list',
  'list.left': 'Left a list',
  'segment.joined': 'Joined a segment',
  'segment.left': 'Left a segment',
  'flow.entered': 'Went into a flow',
  'flow.left': 'Came out of a flow',
  'flow.called': 'Put into a flow by hand',
  'app.identified': 'Identified in the shop',
};

/** The one thing about an event that is worth a glance. */
function glance({ type, detail }: TimelineItem): string | null {
  if (!detail) return null;
  const { value, currency, name, orderId, items } = detail;
  const money = typeof value === 'number' && typeof currency === 'string' ? sayValue(value, currency) : null;
  if (type === 'cart.updated')
    return [money, Array.isArray(items) ? plural(items.length, 'item', 'items') : null].filter(Boolean).join(', ');
  if (type.startsWith('order.')) return [typeof orderId === 'string' ? orderId : null, money].filter(Boolean).join(', ');
  if (type === 'form.submitted' && typeof detail.formName === 'string') return detail.formName;
  if (type.startsWith('page.') && typeof detail.url === 'string') return detail.url.replace(/^https?:\/\//, '');
  if (typeof name === 'string') return name;
  // what it is about, by its key
  const about = type.startsWith('segment.')
    ? detail.segment
    : type.startsWith('code.')
      ? detail.offer
      : type.startsWith('flow.')
        ? detail.flow
        : null;
  return typeof about === 'string' ? about : null;
}

/** What an event is called here; for one of the app's own what the rules call it, else its type. */
const titleOf = (type: string): string => {
  const done = TITLES[type] ?? sayEvent(type);
  return done === `did ${type}` ? type : done.charAt(0).toUpperCase() + done.slice(1);
};

function Item({ item, zone, onType }: { item: TimelineItem; zone: string; onType: (type: string) => void }) {
  const [isOpen, setOpen] = useState(false);
  const Icon =
    item.kind === 'trace'
      ? Route
      : item.kind === 'consent'
        ? Shield
        : item.kind === 'note'
          ? Merge
          : item.kind === 'send'
            ? item.type === 'skipped'
              ? Ban
              : Mail
            : (ICONS[item.type] ?? Dot);
  const canOpen = Boolean(item.because ?? item.detail);
  const title = item.kind === 'event' ? titleOf(item.type) : item.says;
  const more = item.kind === 'event' ? glance(item) : null;
  const tone =
    item.type === 'goal' || item.type === 'order.placed'
      ? 'text-good'
      : item.type === 'skipped' || item.type === 'message.bounced'
        ? 'text-caution'
        : 'text-ink';
  return (
    <div className="border-b border-line">
      <button
        type="button"
        disabled={!canOpen}
        aria-expanded={canOpen ? isOpen : undefined}
        onClick={() => setOpen(!isOpen)}
        className="grid w-full grid-cols-[68px_20px_1fr_auto] items-baseline gap-3 px-4 py-1.5 text-left enabled:hover:bg-wash"
      >
        <time dateTime={item.at} className="font-mono text-xs text-soft">
          {sayTime(item.at, zone)}
        </time>
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
          {item.kind === 'event' && (
            <button type="button" className="mt-2 text-xs text-accent underline" onClick={() => onType(item.type)}>
              Only events of the type {item.type}
            </button>
          )}
        </div>
      )}
    </div>
  );
}

function shortly(because: Because): string {
  const leaf = (one: Because): Because =>
    one.parts?.length ? leaf(one.parts.find((part) => part.holds === one.holds) ?? one.parts.at(-1)!) : one;
  const last = leaf(because);
  return `because ${last.saw ?? last.says}`;
}

function Contents({ detail }: { detail: Readonly<Record<string, Value>> }) {
  return (
    <dl className="grid grid-cols-[140px_1fr] gap-x-4 gap-y-0.5 text-sm">
      {Object.entries(detail).map(([name, value]) => (
        <div key={name} className="contents">
          <dt className="text-soft">{sayName(name)}</dt>
          <dd className="min-w-0 break-words">
            {value !== null && typeof value === 'object' ? (
              <pre className="max-h-56 overflow-auto rounded-md bg-paper p-2 font-mono text-xs">{JSON.stringify(value, null, 2)}</pre>
            ) : typeof value === 'string' ? (
              value
            ) : (
              sayValue(value)
            )}
          </dd>
        </div>
      ))}
    </dl>
  );
}
