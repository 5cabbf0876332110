'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useRouter } from 'next/navigation';
import { useEffect, useRef, useState } from 'react';
import { toast } from 'sonner';
import { freshStep, type FlowDocument } from '@/core/flows';
import { nameInput, type FlowListView, type HistoryView, type MembersView, type MovesView, type SegmentView, type Worth } from '@/core/api';
import { sayMoney } from '@/core/money';
import { CHANNELS, CHANNEL_WORDS, negated } from '@/core/rules';
import type { SegmentDocument } from '@/core/segments';
import { DAY, localDate } from '@/core/time';
import {
  api,
  Ask,
  attempt,
  Button,
  doneUndoable,
  Empty,
  Entry,
  Failed,
  Link,
  Menu,
  NotKnown,
  Page,
  Part,
  plural,
  Progress,
  sayCount,
  sayMoment,
  sayShare,
  useAsked,
  useStore,
  useWork,
} from '../kit';
import { Comments } from '../comments';
import { Growth } from './Growth';
import { SegmentEditor } from './SegmentEditor';

/** One segment: its sentence, who is in it, how that changes and because of what, what its people are worth, where it is used. */
export function SegmentScreen({ id }: { id: string }) {
  const store = useStore();
  const router = useRouter();
  const client = useQueryClient();
  const path = `/segments/${encodeURIComponent(id)}`;
  const segment = useQuery({ queryKey: ['segment', id], queryFn: () => api<SegmentView>(path), refetchInterval: 5_000 });
  const [isEditing, setEditing] = useState(false);
  const [isListing, setListing] = useState(false);
  const { data } = segment;
  const work = useWork(data?.workId ?? null, () => void client.invalidateQueries({ queryKey: ['segment', id] }));
  if (segment.error)
    return (
      <Page title="Segment" back={{ href: '/people/segments', name: 'All segments' }}>
        <Failed error={segment.error} retry={() => void segment.refetch()} />
      </Page>
    );
  if (!data) return <Empty title="Loading…" />;
  const { document } = data;
  const rule = encodeURIComponent(JSON.stringify({ test: 'segment', segment: id, member: true }));
  const like = (name: string, of = document.rule) =>
    router.push(`/people/segments/new?name=${encodeURIComponent(name)}&rule=${encodeURIComponent(JSON.stringify(of))}`);
  const put = async (next: SegmentDocument) => {
    await api(path, { method: 'PUT', body: next });
    await Promise.all([client.invalidateQueries({ queryKey: ['segment', id] }), client.invalidateQueries({ queryKey: ['segments'] })]);
  };
  /** Makes a flow for this segment, as a draft, under a key that is free, and opens it. */
  const makeFlow = (kind: 'joins' | 'letter', flow: FlowDocument) =>
    attempt(async () => {
      const { flows } = await api<FlowListView>('/flows');
      const taken = new Set(flows.map(({ key }) => key));
      const wanted = `${kind}-${id}`.slice(0, 56);
      let key = wanted;
      for (let n = 2; taken.has(key); n++) key = `${wanted}-${n}`;
      await api(`/flows/${key}`, { method: 'PUT', body: flow });
      router.push(`/flows/${key}`);
    });
  const member = { test: 'segment', segment: id, member: true } as const;
  const startFlow = () =>
    makeFlow('joins', {
      schema: 'viatic.flow/1',
      name: `Joins: ${data.name}`.slice(0, 80),
      triggers: [{ id: 'start', kind: 'event', event: 'segment.joined', key: null, where: [{ property: 'segment', op: 'is', value: id }] }],
      entry: null,
      stay: member,
      reentry: 'always',
      goal: null,
      steps: [],
    });
  const writeToThem = () =>
    makeFlow('letter', {
      schema: 'viatic.flow/1',
      name: `To: ${data.name}`.slice(0, 80),
      triggers: [
        {
          id: 'start',
          kind: 'schedule',
          event: 'flow.due',
          key: 'occasion',
          starts: `${localDate(Date.now() + DAY, store.zone)}T10:00`,
          rule: null,
          who: member,
        },
      ],
      entry: { test: 'consent', channel: 'email', reachable: true },
      stay: null,
      reentry: 'once',
      goal: null,
      steps: [freshStep('send', 'letter')],
    });
  const archive = () =>
    attempt(async () => {
      await api(path, { method: 'DELETE' });
      await client.invalidateQueries({ queryKey: ['segments'] });
      doneUndoable(
        'Archived.',
        () =>
          void attempt(async () => {
            await api(`${path}/restore`, { method: 'POST' });
            await client.invalidateQueries({ queryKey: ['segments'] });
          }, 'It is back, and being built.'),
      );
      router.push('/people/segments');
    });
  return (
    <Page
      title={data.name}
      back={{ href: '/people/segments', name: 'All segments' }}
      about={<About data={data} />}
      acts={
        !isEditing && (
          <>
            <Comments kind="segment" of={id} />
            <Menu
              groups={[
                [
                  { name: 'Duplicate', changes: '/segments', onSelect: () => like(`${data.name}, again`) },
                  { name: 'Make the opposite', changes: '/segments', onSelect: () => like(`Not: ${data.name}`, negated(document.rule)) },
                  { name: 'Make a list of who is in it now', changes: '/segments', onSelect: () => setListing(true) },
                  { name: 'Start a flow as people join', changes: '/flows/x', onSelect: () => void startFlow() },
                  { name: 'Write to them', changes: '/flows/x', onSelect: () => void writeToThem() },
                ],
                [{ name: 'Export its people as CSV', saves: `/api/v1/exports?what=people&format=csv&rule=${rule}` }],
                [{ name: 'Archive', changes: '/segments', takes: true, onSelect: () => void archive() }],
              ]}
            >
              <Button>More</Button>
            </Menu>
            <Button changes="/segments" kind="primary" onClick={() => setEditing(true)}>
              Change
            </Button>
          </>
        )
      }
    >
      {isEditing ? (
        <SegmentEditor
          document={document}
          act="Save"
          onCancel={() => setEditing(false)}
          onSave={async (next) => {
            await put(next);
            setEditing(false);
          }}
        />
      ) : (
        <div className="grid gap-5">
          <p className="rounded-md border border-line bg-panel px-4 py-3" data-testid="sentence">
            Everybody <b>{data.who}</b>.
          </p>
          {work.data && data.isBuilding && (
            <div className="rounded-md border border-line bg-panel p-4">
              <Progress work={work.data} noun="people" />
              {(work.data.state === 'failed' || work.data.state === 'cancelled') && (
                <Button changes="/segments" className="mt-2" onClick={() => void attempt(() => put(document), 'It is being built again.')}>
                  Build again
                </Button>
              )}
              {data.keptBy && (
                <p className="mt-2 text-soft">
                  Until that is done, those are in it <b>{data.keptBy}</b>.
                </p>
              )}
            </div>
          )}
          <div className="grid grid-cols-[1fr_420px] items-start gap-5">
            <div className="grid gap-5">
              <Size id={id} data={data} />
              <Moves id={id} />
            </div>
            <div className="grid gap-5">
              <Part title="Its people">
                <dl className="grid gap-2 p-4">
                  <Row term="In it now">
                    {data.size === null ? <NotKnown what="being built" /> : <b>{plural(data.size, 'person', 'people')}</b>}
                  </Row>
                  {CHANNELS.map((channel) => (
                    <Row key={channel} term={`Can be reached by ${CHANNEL_WORDS[channel].noun}`}>
                      {sayCount(data.reachable[channel])}{' '}
                      <span className="text-soft">{data.size ? sayShare(data.reachable[channel], data.size) : ''}</span>
                    </Row>
                  ))}
                  <Compare term="Orders a person" of={(one) => (one.people ? (one.orders / one.people).toFixed(2) : null)} data={data} />
                  <Compare
                    term="Value a person, net"
                    of={(one) =>
                      one.people ? sayMoney({ currency: one.value.currency, minor: Math.round(one.value.minor / one.people) }) : null
                    }
                    data={data}
                  />
                  <Compare term="Have bought" of={(one) => sayShare(one.buyers, one.people)} data={data} />
                </dl>
              </Part>
              <Members id={id} rule={rule} />
              <Part title="Used by">
                {data.uses.length ? (
                  <ul className="p-4">
                    {data.uses.map((use) => (
                      <li key={`${use.kind} ${use.key} ${use.where}`}>
                        <Link
                          href={use.kind === 'segment' ? `/people/segments/${use.key}` : `/flows/${use.key}`}
                          className="font-semibold hover:underline"
                        >
                          {use.name}
                        </Link>{' '}
                        <span className="text-soft">{use.where}</span>
                      </li>
                    ))}
                  </ul>
                ) : (
                  <p className="p-4 text-soft">
                    Nothing yet. A flow can start as somebody joins it (event segment.joined), and its rules can ask for it.
                  </p>
                )}
                <p className="border-t border-line px-4 py-2 text-xs text-soft">
                  Created {sayMoment(data.createdAt, store.zone)} by {data.createdBy}
                  {data.builtAt && <>; kept up to date since {sayMoment(data.builtAt, store.zone)}</>}.
                </p>
              </Part>
            </div>
          </div>
        </div>
      )}
      {isListing && <MakeList id={id} name={data.name} size={data.size ?? 0} onClose={() => setListing(false)} />}
    </Page>
  );
}

/** What it is for, whose it is, and its tags. */
function About({ data: { about, owner, tags } }: { data: SegmentView }) {
  return (
    <>
      {about}
      {(owner !== null || tags.length > 0) && (
        <span className="block text-xs">
          {owner !== null && <>Owner: {owner}</>}
          {owner !== null && tags.length > 0 && ' · '}
          {tags.map((tag) => `“${tag}”`).join(', ')}
        </span>
      )}
    </>
  );
}

function Row({ term, children }: { term: string; children: React.ReactNode }) {
  return (
    <div className="flex items-baseline justify-between gap-4">
      <dt className="text-soft">{term}</dt>
      <dd className="tabular">{children}</dd>
    </div>
  );
}

/** A figure of its people against that of everybody. */
function Compare({ term, of, data }: { term: string; of: (one: Worth) => string | null; data: SegmentView }) {
  return (
    <Row term={term}>
      {of(data.worth.people) ?? '–'} <span className="text-soft">(everybody {of(data.worth.everybody) ?? '–'})</span>
    </Row>
  );
}

function Size({ id, data }: { id: string; data: SegmentView }) {
  const history = useQuery({
    queryKey: ['segment', id, 'history', data.builtAt],
    queryFn: () => api<HistoryView>(`/segments/${encodeURIComponent(id)}/history?from=${new Date(Date.now() - 89 * DAY).toISOString()}`),
    refetchInterval: 30_000,
  });
  const days = history.data?.days.map(({ size, ...day }) => ({ ...day, people: size }));
  return (
    <Part title="Size by day">
      <div className="p-4">
        {history.error ? (
          <Failed error={history.error} retry={() => void history.refetch()} />
        ) : !days ? (
          <Empty title="Loading…" />
        ) : !days.length ? (
          <Empty title="It is being built">From then on, its size stands here day by day.</Empty>
        ) : (
          <Growth days={days} where="in the segment" />
        )}
      </div>
    </Part>
  );
}

function Moves({ id }: { id: string }) {
  const store = useStore();
  const { data, error, refetch } = useQuery({
    queryKey: ['segment', id, 'moves'],
    queryFn: () => api<MovesView>(`/segments/${encodeURIComponent(id)}/moves`),
    refetchInterval: 5_000,
  });
  return (
    <Part title="Joined and left lately">
      {error ? (
        <Failed error={error} retry={() => void refetch()} />
      ) : !data ? (
        <Empty title="Loading…" />
      ) : !data.moves.length ? (
        <Empty title="Nobody yet">Who joins or leaves from now on stands here, with the moment and because of what.</Empty>
      ) : (
        <ul className="max-h-[320px] overflow-y-auto" aria-label="Joined and left lately">
          {data.moves.map((move, index) => (
            <li key={index} className="flex items-baseline gap-3 border-b border-line px-4 py-1.5 last:border-0">
              <span className={move.act === 'joined' ? 'w-14 font-semibold text-good' : 'w-14 font-semibold text-soft'}>{move.act}</span>
              <span className="min-w-0 flex-1 truncate" title={[move.name, move.email].filter(Boolean).join(', ')}>
                {move.id === null ? (
                  <NotKnown what="somebody who is not on file any more" />
                ) : (
                  <Link href={`/people/${encodeURIComponent(move.id)}`} className="hover:underline">
                    {move.name ? <b>{move.name}</b> : <NotKnown what="no name" />} <span className="text-soft">{move.email}</span>
                  </Link>
                )}
              </span>
              <span className="text-soft">{move.because}</span>
              <span className="whitespace-nowrap text-xs text-soft tabular">{sayMoment(move.at, store.zone)}</span>
            </li>
          ))}
        </ul>
      )}
      {data?.moves.length === 50 && <p className="border-t border-line px-4 py-2 text-xs text-soft">The latest 50.</p>}
    </Part>
  );
}

function Members({ id, rule }: { id: string; rule: string }) {
  const store = useStore();
  const { data, error, refetch } = useQuery({
    queryKey: ['segment', id, 'members'],
    queryFn: () => api<MembersView>(`/segments/${encodeURIComponent(id)}/members?limit=20`),
    refetchInterval: 5_000,
  });
  // somebody in a segment that had been empty is news
  const before = useRef<number | null>(null);
  const total = data?.total ?? null;
  useEffect(() => {
    if (before.current === 0 && total) toast.success(`${plural(total, 'person is', 'people are')} in it now.`);
    before.current = total;
  }, [total]);
  return (
    <Part
      title="Who"
      acts={
        <Link href={`/people?rule=${rule}`} className="text-sm text-accent underline">
          All in the table
        </Link>
      }
    >
      {error ? (
        <Failed error={error} retry={() => void refetch()} />
      ) : !data ? (
        <Empty title="Loading…" />
      ) : !data.people.length ? (
        <Empty title="Nobody is in it">As soon as somebody is, they stand here, and who watches this page is told.</Empty>
      ) : (
        <ul className="max-h-[280px] overflow-y-auto">
          {data.people.map((one) => (
            <li key={one.id} className="flex items-baseline gap-2 border-b border-line px-4 py-1.5 last:border-0">
              <Link
                href={`/people/${encodeURIComponent(one.id)}`}
                className="min-w-0 flex-1 truncate hover:underline"
                title={[one.name, one.email].filter(Boolean).join(', ')}
              >
                {one.name ? <b>{one.name}</b> : <NotKnown what="no name" />} <span className="text-soft">{one.email}</span>
              </Link>
              <span className="whitespace-nowrap text-xs text-soft tabular" title={one.because}>
                since {sayMoment(one.since, store.zone)}
              </span>
            </li>
          ))}
        </ul>
      )}
      {data && data.total > data.people.length && (
        <p className="border-t border-line px-4 py-2 text-xs text-soft">The 20 who joined last, of {sayCount(data.total)}.</p>
      )}
    </Part>
  );
}

/** Makes a fixed list of who is in a segment at this moment. */
function MakeList({ id, name, size, onClose }: { id: string; name: string; size: number; onClose: () => void }) {
  const router = useRouter();
  const client = useQueryClient();
  const form = useAsked(nameInput, { name: `${name}, as of today` });
  return (
    <Ask
      isOpen
      onClose={onClose}
      title="Make a list"
      about={`${plural(size, 'person', 'people')} of “${name}” are put on it. They stay there, whatever becomes of them.`}
      act="Create"
      form={form}
      onAct={async (body) => {
        const made = await api<{ key: string }>(`/segments/${encodeURIComponent(id)}/list`, { method: 'POST', body });
        await client.invalidateQueries({ queryKey: ['lists'] });
        router.push(`/people/lists/${made.key}`);
      }}
    >
      <Entry form={form} name="name" label="Name" autoFocus maxLength={80} />
    </Ask>
  );
}
