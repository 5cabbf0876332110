'use client';

import { useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/react-query';
import { Send } from 'lucide-react';
import { useRef, useState } from 'react';
import { toast } from 'sonner';
import { nameInput, type ArrivalView, type ClockView, type RejectionView, type SourceDetail } from '@/core/api';
import { CardButton, CardLine } from '../cards';
import {
  api,
  Ask,
  attempt,
  Button,
  Copied,
  Empty,
  Entry,
  Failed,
  Json,
  Label,
  Page,
  Part,
  plural,
  sayMoment,
  sayTime,
  useAsked,
  useStore,
  Link,
} from '../kit';
import { MappingEditor } from './MappingEditor';
import { RateChart } from './RateChart';
import { KIND_WORDS } from './SourcesScreen';

/** One source: its last events as they arrive, its rate, what it got wrong, and a test event. */
export function SourceScreen({ id }: { id: string }) {
  const store = useStore();
  const client = useQueryClient();
  const path = `/sources/${encodeURIComponent(id)}`;
  const {
    data: source,
    error,
    refetch,
  } = useQuery({ queryKey: ['source', id], queryFn: () => api<SourceDetail>(path), refetchInterval: 3_000 });
  const clock = useQuery({ queryKey: ['clock'], queryFn: () => api<ClockView>('/clock'), refetchInterval: 10_000 });
  const [place, setPlace] = useState<'arriving' | 'rejected' | 'mapping'>('arriving');
  const [asks, setAsks] = useState<'rename' | 'revoke' | 'secret' | null>(null);
  const [isTesting, setTesting] = useState(false);
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  if (!source) return <Empty title="Loading…" />;
  const isOurs = source.kind === 'own' || source.kind === 'hand';
  const test = async () => {
    setTesting(true);
    await attempt(async () => {
      const { answer } = await api<{
        answer: { accepted: number; duplicates: number; rejected: { problems: { field: string; wrong: string }[] }[] };
      }>(`${path}/test`, { method: 'POST', body: {} });
      await Promise.all([
        client.invalidateQueries({ queryKey: ['source', id] }),
        client.invalidateQueries({ queryKey: ['arrivals', id] }),
        client.invalidateQueries({ queryKey: ['rejections', id] }),
      ]);
      const problem = answer.rejected[0]?.problems[0];
      if (problem) toast.error(`It arrived and was rejected: ${problem.field} ${problem.wrong}.`);
      else if (answer.accepted) toast.success('It arrived: it stands on top of the list.');
      else
        toast.success(
          answer.duplicates
            ? 'It arrived; the event had been there before and counts once.'
            : 'It arrived, and the mapping makes no event of it.',
        );
    });
    setTesting(false);
  };
  const tabs = [
    ['arriving', 'Arriving'],
    ['rejected', `Rejected (${source.rejectedDay} in 24 hours)`],
    ...(source.kind === 'webhook' ? [['mapping', source.mapping ? `Mapping, version ${source.mapping.version}` : 'Mapping']] : []),
  ] as [typeof place, string][];
  return (
    <Page
      title={
        <>
          {source.name} {source.revokedAt && <Label tone="stop">revoked</Label>}
        </>
      }
      back={{ href: '/data', name: 'All sources' }}
      about={
        <>
          {KIND_WORDS[source.kind][0]!.toUpperCase() + KIND_WORDS[source.kind].slice(1)}
          {source.hint && (
            <>
              , <span className="font-mono text-xs">{source.hint}</span>
            </>
          )}
          {source.lastUsedAt && `, last used ${sayMoment(source.lastUsedAt, store.zone)}`}. {plural(source.lastHour, 'event', 'events')} in
          the last hour, {plural(source.lastDay, 'event', 'events')} in 24 hours.
        </>
      }
      acts={
        !isOurs && (
          <>
            <CardButton kind="source" of={source.key} />
            {source.kind !== 'file' && source.kind !== 'form' && (
              <Button changes="/sources" onClick={() => setAsks('rename')}>
                Rename
              </Button>
            )}
            {(source.kind === 'webhook' || source.kind === 'snippet') && (
              <Button changes="/sources" onClick={() => setAsks('secret')}>
                New secret
              </Button>
            )}
            {['key', 'webhook', 'snippet'].includes(source.kind) &&
              (source.revokedAt ? (
                <Button
                  changes="/sources"
                  onClick={() =>
                    void attempt(async () => {
                      await api(path, { method: 'PATCH', body: { revoked: false } });
                      await refetch();
                    }, 'It works again.')
                  }
                >
                  Restore
                </Button>
              ) : (
                <Button changes="/sources" onClick={() => setAsks('revoke')}>
                  Revoke
                </Button>
              ))}
            {['key', 'webhook', 'snippet'].includes(source.kind) && (
              <Button changes="/sources" kind="primary" disabled={isTesting || Boolean(source.revokedAt)} onClick={() => void test()}>
                <Send size={16} aria-hidden="true" />
                {isTesting ? 'Sending…' : 'Send a test event'}
              </Button>
            )}
          </>
        )
      }
    >
      <CardLine kind="source" of={source.key} />
      <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,420px)] items-start gap-5">
        <div className="min-w-0 rounded-md border border-line bg-panel">
          <div role="tablist" aria-label="About this source" className="flex gap-1 border-b border-line px-2">
            {tabs.map(([key, name]) => (
              <button
                key={key}
                role="tab"
                type="button"
                id={`tab-${key}`}
                aria-controls="source-panel"
                aria-selected={place === key}
                onClick={() => setPlace(key)}
                className={`border-b-2 px-2.5 py-2 ${place === key ? 'border-accent font-semibold text-accent' : 'border-transparent hover:text-accent'}`}
              >
                {name}
              </button>
            ))}
          </div>
          <div role="tabpanel" id="source-panel" aria-labelledby={`tab-${place}`}>
            {place === 'arriving' && source.waiting > 0 && (
              <p className="border-b border-line bg-wash px-4 py-2 text-sm" data-testid="waiting">
                {plural(source.waiting, 'refund or cancellation is waiting', 'refunds and cancellations are waiting')} for an order that
                hasn’t arrived yet.
              </p>
            )}
            {place === 'arriving' && <Arriving id={id} path={path} zone={store.zone} />}
            {place === 'rejected' && <Rejected id={id} path={path} zone={store.zone} />}
            {place === 'mapping' && (
              <MappingEditor key={source.mapping?.version ?? 0} path={path} source={source} onSaved={() => void refetch()} />
            )}
          </div>
        </div>
        <div className="grid min-w-0 grid-cols-[minmax(0,1fr)] gap-4">
          <Part title="Rate, last hour">
            <div className="p-4">
              <RateChart minutes={source.minutes} now={clock.data ? Date.parse(clock.data.now) : Date.now()} zone={store.zone} />
            </div>
          </Part>
          <HowTo source={source} />
        </div>
      </div>
      {asks === 'rename' && (
        <Rename
          source={source}
          onClose={() => setAsks(null)}
          onAct={async (name) => {
            await api(path, { method: 'PATCH', body: { name } });
            await refetch();
          }}
        />
      )}
      {asks === 'revoke' && (
        <Ask
          isOpen
          isDanger
          onClose={() => setAsks(null)}
          title={`Revoke “${source.name}”`}
          act="Revoke"
          about={
            <>
              It is refused from now on
              {source.lastDay > 0 && `; it brought ${plural(source.lastDay, 'event', 'events')} in the last 24 hours`}. What it has brought
              stays. It can be restored.
            </>
          }
          onAct={async () => {
            await api(path, { method: 'PATCH', body: { revoked: true } });
            await refetch();
          }}
        />
      )}
      {asks === 'secret' && (
        <NewSecret
          path={path}
          onClose={() => {
            setAsks(null);
            void refetch();
          }}
        />
      )}
    </Page>
  );
}

function Rename({ source, onClose, onAct }: { source: SourceDetail; onClose: () => void; onAct: (name: string) => Promise<void> }) {
  const form = useAsked(nameInput, { name: source.name });
  return (
    <Ask isOpen onClose={onClose} title="Rename this source" act="Rename" form={form} onAct={({ name }) => onAct(name)}>
      <Entry form={form} name="name" label="Name" autoFocus maxLength={80} />
    </Ask>
  );
}

function NewSecret({ path, onClose }: { path: string; onClose: () => void }) {
  const hasMade = useRef(false);
  const [secret, setSecret] = useState<string | null>(null);
  if (secret)
    return (
      <Ask
        isOpen
        onClose={onClose}
        title="The new secret"
        act="Done"
        onAct={async () => onClose()}
        about="It is shown this once. The old one is refused from now on."
      >
        <Copied text={secret} label="secret" />
      </Ask>
    );
  return (
    <Ask
      isOpen
      onClose={() => !hasMade.current && onClose()}
      title="A new secret"
      act="Create"
      about="What is signed with the old one counts no more until the sender has the new one."
      onAct={async () => {
        const { shownOnce } = await api<{ shownOnce: string }>(path, { method: 'PATCH', body: { newSecret: true } });
        hasMade.current = true;
        setSecret(shownOnce);
      }}
    />
  );
}

/** The last events, newest first, as they come. */
function Arriving({ id, path, zone }: { id: string; path: string; zone: string }) {
  const { data, error, refetch } = useQuery({
    queryKey: ['arrivals', id],
    queryFn: () => api<{ arrivals: ArrivalView[] }>(`${path}/arrivals`),
    refetchInterval: 1_500,
  });
  const [open, setOpen] = useState<string | null>(null);
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  if (!data) return <Empty title="Loading…" />;
  if (!data.arrivals.length)
    return (
      <Empty title="Nothing has arrived yet">Send a test event, or let the sender send one: it appears here within two seconds.</Empty>
    );
  return (
    <ol data-testid="arrivals" aria-live="polite">
      {data.arrivals.map((one) => (
        <li key={one.id} className="border-b border-line last:border-0">
          <button
            type="button"
            aria-expanded={open === one.id}
            onClick={() => setOpen(open === one.id ? null : one.id)}
            className="grid w-full grid-cols-[70px_150px_1fr_auto] items-baseline gap-3 px-4 py-1.5 text-left hover:bg-wash"
          >
            <time dateTime={one.receivedAt} className="font-mono text-xs text-soft">
              {sayTime(one.receivedAt, zone)}
            </time>
            <span className="truncate font-semibold">{one.type}</span>
            <span className="truncate">{one.person?.name ?? one.person?.email ?? 'a visitor nobody knows yet'}</span>
            <span className="truncate text-xs text-good">{one.started && `started ${one.started}`}</span>
          </button>
          {open === one.id && (
            <div className="grid gap-2 px-4 pb-3 pl-[100px] text-sm">
              <p>
                Happened {sayMoment(one.time, zone)}, id <span className="break-all font-mono text-xs">{one.eventId}</span>.{' '}
                {one.person && (
                  <Link href={`/people/${encodeURIComponent(one.person.id)}`} className="text-accent underline">
                    To the person
                  </Link>
                )}{' '}
                ·{' '}
                <Link href={`/data/events/${one.type}`} className="text-accent underline">
                  To the event type
                </Link>
              </p>
              <Json value={one.properties} />
            </div>
          )}
        </li>
      ))}
    </ol>
  );
}

/** What was refused, with the reason, the mend and the raw body. */
function Rejected({ id, path, zone }: { id: string; path: string; zone: string }) {
  const list = useInfiniteQuery({
    queryKey: ['rejections', id],
    queryFn: ({ pageParam }) =>
      api<{ rejections: RejectionView[]; next: string | null }>(`${path}/rejections${pageParam ? `?before=${pageParam}` : ''}`),
    initialPageParam: '',
    getNextPageParam: (last) => last.next ?? undefined,
    refetchInterval: 5_000,
  });
  const [open, setOpen] = useState<string | null>(null);
  if (list.error) return <Failed error={list.error} retry={() => void list.refetch()} />;
  const rows = list.data?.pages.flatMap((page) => page.rejections);
  if (!rows) return <Empty title="Loading…" />;
  if (!rows.length)
    return <Empty title="Nothing was rejected">What this source gets wrong stands here, with the field, the mistake and the mend.</Empty>;
  return (
    <>
      <ol data-testid="rejections">
        {rows.map((one) => (
          <li key={one.id} className="border-b border-line last:border-0">
            <button
              type="button"
              aria-expanded={open === one.id}
              onClick={() => setOpen(open === one.id ? null : one.id)}
              className="grid w-full grid-cols-[130px_1fr] items-baseline gap-3 px-4 py-1.5 text-left hover:bg-wash"
            >
              <time dateTime={one.at} className="text-xs text-soft tabular">
                {sayMoment(one.at, zone)}
              </time>
              <span>
                {one.type && <b className="mr-2">{one.type}</b>}
                {one.problems.map((problem) => `${problem.field} ${problem.wrong}`).join('; ')}
              </span>
            </button>
            {open === one.id && (
              <div className="grid gap-2 px-4 pb-3 pl-[158px] text-sm">
                <ul>
                  {one.problems.map((problem, index) => (
                    <li key={index}>
                      <code className="font-mono text-xs">{problem.field}</code> {problem.wrong}. Right is: {problem.right}.
                    </li>
                  ))}
                </ul>
                <Json value={one.raw} />
              </div>
            )}
          </li>
        ))}
      </ol>
      {list.hasNextPage && (
        <div className="p-3 text-center">
          <Button disabled={list.isFetchingNextPage} onClick={() => void list.fetchNextPage()}>
            Show earlier
          </Button>
        </div>
      )}
    </>
  );
}

/** How to send to this source: an address and an example that works as it stands. */
function HowTo({ source }: { source: SourceDetail }) {
  if (source.kind === 'key') {
    return (
      <Part title="How to send">
        <div className="grid grid-cols-[minmax(0,1fr)] gap-2 p-4">
          <p className="text-sm text-soft">Events as CloudEvents or plain JSON, one or up to 1,000.</p>
          <Copied
            isBlock
            label="example"
            text={[
              `curl -X POST ${source.address}`,
              `  -H 'Authorization: Bearer YOUR_KEY'`,
              `  -H 'Content-Type: application/json'`,
              `  -d '{"id":"1","source":"shop","type":"product.viewed","data":{"sku":"QF-T060","person":{"email":"robin@example.com"}}}'`,
            ].join(' \\\n')}
          />
        </div>
      </Part>
    );
  }
  if (source.kind === 'webhook') {
    return (
      <Part title="How to send">
        <div className="grid grid-cols-[minmax(0,1fr)] gap-2 p-4">
          <p className="text-sm text-soft">
            POST to this address, signed by Standard Webhooks: webhook-id, webhook-timestamp and webhook-signature. What is more than five
            minutes old is refused.
          </p>
          <Copied text={source.address!} label="address" />
          {!source.mapping && (
            <p className="text-sm text-soft">
              Without a mapping, bodies must be events of ours. Send one of your own shape, then point at its fields under Mapping.
            </p>
          )}
        </div>
      </Part>
    );
  }
  if (source.kind === 'snippet') {
    const base = source.address!.replace('/api/collect/', '/snippet/');
    return (
      <>
        <Part title="How to put it in">
          <div className="grid grid-cols-[minmax(0,1fr)] gap-2 p-4">
            <p className="text-sm text-soft">
              Into the pages of {source.sites.join(', ')}. It counts page views and exits by itself, keeps an id of its own, and is silent
              where a reader asks not to be tracked.
            </p>
            <Copied
              isBlock
              label="script tag"
              text={[
                '<script>window.viatic=window.viatic||{q:[]};["track","identify","product","cart","forget"].forEach(function(n){',
                'viatic[n]=viatic[n]||function(){viatic.q.push([n].concat([].slice.call(arguments)))}})</script>',
                `<script src="${base}.js" async></script>`,
              ].join('\n')}
            />
            <Copied
              isBlock
              label="calls"
              text={[
                'viatic.product({sku: "QF-T060", name: "Shoreline tank 60 l", price: 89})',
                'viatic.cart({cartId: "…", currency: "EUR", value: 89, items: […]})',
                'viatic.track("app.tank_planned", {litres: 60})',
                'viatic.forget() // signed out',
              ].join('\n')}
            />
          </div>
        </Part>
        <Part title="How to tell who it is">
          <div className="grid grid-cols-[minmax(0,1fr)] gap-2 p-4">
            <p className="text-sm text-soft">
              Anybody can write anything into a page, so who somebody is counts only with proof. Let your server sign it with this source’s
              secret (a JSON Web Token, HS256); these three lines do it in Node.js:
            </p>
            <Copied
              isBlock
              label="lines for your server"
              text={[
                'const part = (value) => Buffer.from(JSON.stringify(value)).toString("base64url");',
                'const body = part({ alg: "HS256" }) + "." + part({ sub: customer.id, email: customer.email, exp: Math.floor(Date.now() / 1000) + 3600 });',
                'const token = body + "." + crypto.createHmac("sha256", process.env.VIATIC_PAGE_SECRET).update(body).digest("base64url");',
              ].join('\n')}
            />
            <p className="text-sm text-soft">and in the page, for whoever is signed in:</p>
            <Copied isBlock label="call with the token" text={'viatic.identify(token)'} />
            <p className="text-sm text-soft">
              Also proof: a click in one of your own mails, an order or cart that your server tells with{' '}
              <code className="font-mono text-xs">person.device</code> (the cookie <code className="font-mono text-xs">viatic_id</code>),
              and a form that was confirmed by mail. An address without proof,{' '}
              <code className="font-mono text-xs">
                viatic.identify({'{'}email: "…"{'}'})
              </code>
              , is only shown beside the visitor who said it: it changes nobody, joins nobody and gets no mail.
            </p>
          </div>
        </Part>
      </>
    );
  }
  return null;
}
