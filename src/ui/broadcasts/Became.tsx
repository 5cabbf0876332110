'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useState, type ReactNode } from 'react';
import type { BroadcastView, Did, FlowView, RecipientsView, SendSplitView, SplitOfSends } from '@/core/api';
import { planOf } from '@/core/flows';
import { sayMoney } from '@/core/money';
import type { Rule } from '@/core/rules';
import { slugOf } from '@/core/text';
import {
  api,
  Ask,
  attempt,
  Bars,
  Button,
  Dialog,
  Empty,
  Failed,
  fieldClass,
  Part,
  percent,
  plural,
  sayCount,
  sayMoment,
  sayShare,
  sayShort,
  Spans,
  Table,
  useStore,
  type TableColumn,
} from '../kit';
import { ClicksOnLetter } from './ClicksOnLetter';

type MessageRow = BroadcastView['messages'][number];

/** What became of a broadcast: how far it is, what it came to, its trial, by parts, and who did what. */
export function Became({ view, flow, onChanged }: { view: BroadcastView; flow: FlowView; onChanged: () => void }) {
  const { zone } = useStore();
  const [people, setPeople] = useState<Did | null>(null);
  const [picture, setPicture] = useState<MessageRow | null>(null);
  const document = flow.published ?? flow.draft;
  const under = view.toCome + view.queued;
  const columns: TableColumn<MessageRow>[] = [
    {
      key: 'name',
      name: 'Message',
      value: (row) => row.name,
      show: (row) => (
        <button type="button" className="text-left font-semibold text-accent hover:underline" onClick={() => setPicture(row)}>
          {row.name}
        </button>
      ),
    },
    count('sent', 'Sent', (row) => row.sent),
    share(
      'delivered',
      'Delivered',
      (row) => row.delivered,
      (row) => row.sent,
    ),
    share(
      'opened',
      'Opened',
      (row) => row.opened,
      (row) => row.delivered || row.sent,
    ),
    share(
      'clicked',
      'Clicked',
      (row) => row.clicked,
      (row) => row.delivered || row.sent,
    ),
    share(
      'unsubscribed',
      'Unsubscribed',
      (row) => row.unsubscribed,
      (row) => row.delivered || row.sent,
    ),
    count('orders', 'Orders', (row) => row.orders),
    {
      key: 'revenue',
      name: 'Revenue',
      isNumber: true,
      unit: view.revenue.currency,
      value: (row) => row.revenue.minor / 100,
      show: (row) => sayMoney(row.revenue),
    },
  ];
  return (
    <div className="min-h-0 flex-1 overflow-y-auto bg-paper">
      <div className="mx-auto grid max-w-[1280px] grid-cols-[minmax(0,1fr)] gap-4 px-6 py-4">
        <p data-testid="became">
          {says(view, zone)}
          {view.phase === 'going' && under > 0 && (
            <>
              {' '}
              <b className="tabular">{sayCount(under)}</b> {under === 1 ? 'is' : 'are'} still to come.
            </>
          )}
        </p>
        {view.phase === 'going' && <Progress done={view.sent} of={view.sent + under} />}
        <dl className="grid grid-cols-7 overflow-hidden rounded-md border border-line bg-panel">
          <Figure name="Sent" says={sayCount(view.sent)} more={`of ${plural(view.entered, 'person', 'people')} meant`} />
          <Figure name="Delivered" says={sayCount(view.delivered)} more={sayShare(view.delivered, view.sent)} />
          <Figure name="Bounced" says={sayCount(view.bounced)} more={sayShare(view.bounced, view.sent)} />
          <Figure name="Opened" says={sayCount(view.opened)} more={sayShare(view.opened, view.delivered || view.sent)} />
          <Figure name="Clicked" says={sayCount(view.clicked)} more={sayShare(view.clicked, view.delivered || view.sent)} />
          <Figure name="Orders" says={sayCount(view.orders)} more="credited, by the store’s model" />
          <Figure
            name="Revenue"
            says={sayMoney(view.revenue)}
            more={
              view.sent ? `${sayMoney({ ...view.revenue, minor: Math.round(view.revenue.minor / view.sent) })} for each sent` : 'credited'
            }
          />
        </dl>
        {view.trial && <Trial view={view} document={document} onChanged={onChanged} flowKey={flow.key} />}
        <Part
          title="Messages"
          acts={
            <span className="flex gap-2">
              <Button onClick={() => setPeople('all')}>Who did what…</Button>
              <Link href={`/flows/${flow.key}`} className="inline-flex h-8 items-center text-accent underline">
                Decisions, one by one
              </Link>
            </span>
          }
        >
          <Table name="broadcast-messages" rows={view.messages} keyOf={(row) => row.step} columns={columns} />
        </Part>
        <div className="grid grid-cols-2 items-start gap-4">
          <Part title="By hour">
            <div className="grid gap-3 p-4">
              {view.hours.length ? <Hours view={view} zone={zone} /> : <p className="text-soft">Nothing has gone out yet.</p>}
            </div>
          </Part>
          <Split flowKey={flow.key} />
        </div>
        {view.leftOut.length > 0 && (
          <Part title="Who did not get it, and why">
            <ul className="grid gap-1 p-4">
              {view.leftOut.map(({ why, people: many }) => (
                <li key={why} className="flex justify-between gap-4">
                  <span>{why}</span>
                  <span className="tabular">{plural(many, 'person', 'people')}</span>
                </li>
              ))}
            </ul>
          </Part>
        )}
        {view.news.length > 0 && (
          <Part title="What was new in the feed">
            <ul className="grid gap-1 p-4">
              {view.news.map((one) => (
                <li key={one.at} className="grid grid-cols-[150px_1fr] gap-3">
                  <span className="font-mono text-xs tabular">{sayMoment(one.at, zone)}</span>
                  <span>
                    {one.isTold
                      ? one.entries.join(' · ')
                      : one.entries.length
                        ? `only ${plural(one.entries.length, 'new entry', 'new entries')}: nothing went out`
                        : 'nothing new: nothing went out'}
                  </span>
                </li>
              ))}
            </ul>
          </Part>
        )}
      </div>
      {people && <Recipients flow={flow} did={people} onDid={setPeople} onClose={() => setPeople(null)} />}
      {picture && (
        <Dialog isOpen onClose={() => setPicture(null)} title={`“${picture.name}”: what was clicked`} width={760}>
          <ClicksOnLetter flowKey={flow.key} step={planOf(document).steps.get(picture.step)} of={picture.delivered || picture.sent} />
        </Dialog>
      )}
    </div>
  );
}

const count = (key: string, name: string, of: (row: MessageRow) => number): TableColumn<MessageRow> => ({
  key,
  name,
  isNumber: true,
  value: of,
});
const share = (
  key: string,
  name: string,
  of: (row: MessageRow) => number,
  among: (row: MessageRow) => number,
): TableColumn<MessageRow> => ({
  key,
  name,
  isNumber: true,
  value: of,
  show: (row) => (
    <>
      {sayCount(of(row))} <span className="text-xs text-soft">{sayShare(of(row), among(row))}</span>
    </>
  ),
});

function says(view: BroadcastView, zone: string): string {
  const at = view.at ? sayMoment(view.at, zone) : '';
  switch (view.phase) {
    case 'draft':
      return 'It was never let go.';
    case 'planned':
      return `It goes out on ${at}.`;
    case 'going':
      return `It is going out since ${at}.`;
    case 'trying':
      return `It is being tried on a part since ${at}; ${plural(view.trial?.waiting ?? 0, 'person waits', 'people wait')} for the best.`;
    case 'asks':
      return `No message surely does best: ${plural(view.trial?.waiting ?? 0, 'person waits', 'people wait')} until you choose one.`;
    case 'stopped':
      return view.entered ? 'It was stopped while it went out.' : 'It was stopped before its moment.';
    case 'gone':
      return view.inside
        ? `It went out on ${at}. ${plural(view.inside, 'person is', 'people are')} looked at again for another round.`
        : `It went out on ${at}.`;
    case 'archived':
      return 'It is archived. What it came to stays.';
  }
}

function Figure({ name, says: words, more }: { name: string; says: string; more: ReactNode }) {
  return (
    <div className="border-r border-line p-3 last:border-r-0">
      <dt className="text-xs text-soft">{name}</dt>
      <dd className="text-lg font-semibold tabular">{words}</dd>
      <dd className="text-xs text-soft">{more ?? 'not known yet'}</dd>
    </div>
  );
}

function Progress({ done, of }: { done: number; of: number }) {
  return (
    <progress
      value={done}
      max={Math.max(1, of)}
      aria-label={`${sayCount(done)} of ${sayCount(of)} sent`}
      className="h-2 w-full accent-accent"
    />
  );
}

/** How the trial goes: each message with the interval in which its share lies, and, where somebody has to choose, the choice. */
function Trial({
  view,
  document,
  flowKey,
  onChanged,
}: {
  view: BroadcastView;
  document: FlowView['draft'];
  flowKey: string;
  onChanged: () => void;
}) {
  const { zone } = useStore();
  const [keeping, setKeeping] = useState<{ id: string; name: string } | null>(null);
  const trial = view.trial!;
  const step = [...planOf(document).steps.values()].find((one) => one.kind === 'test');
  const by = step?.kind === 'test' ? { opened: 'opened it', clicked: 'clicked in it', goal: 'ordered' }[step.trial?.by ?? 'opened'] : '';
  return (
    <Part title="The trial">
      <div className="grid grid-cols-[1fr_580px] gap-6 p-4">
        <div className="grid content-start gap-3">
          <p data-testid="trial-says">{trial.says}</p>
          {!trial.won && (
            <p className="text-soft">
              {trial.endsAt ? `Its time is over at ${sayShort(trial.endsAt, zone)}.` : 'More of its people are still to get theirs.'}
              {trial.waiting > 0 && ` ${plural(trial.waiting, 'person waits', 'people wait')} for what it shows.`}
            </p>
          )}
          {!trial.won && (
            <div className="flex flex-wrap gap-2">
              {trial.arms.map(({ id, name }) => (
                <Button key={id} kind={view.phase === 'asks' ? 'primary' : 'plain'} onClick={() => setKeeping({ id, name })}>
                  Send “{name}” to the others…
                </Button>
              ))}
            </div>
          )}
        </div>
        <Spans
          label={`Share of people who ${by}, by message`}
          axis={`Share of people who ${by}`}
          spans={trial.arms
            .filter(({ people }) => people > 0)
            .map(({ id, name, people, did, low, high }) => ({
              key: id,
              name: `${name} (${sayCount(people)})`,
              value: did / people,
              low,
              high,
            }))}
          say={percent}
        />
      </div>
      {keeping && step && (
        <Ask
          isOpen
          onClose={() => setKeeping(null)}
          title={`Send “${keeping.name}” to the others?`}
          about={`${plural(trial.waiting, 'person who waits gets', 'people who wait get')} it now, by the limits of sending.`}
          act="Send"
          onAct={async () => {
            await api(`/tests/${flowKey}/${step.id}/keep`, { method: 'POST', body: { arm: keeping.id } });
            setKeeping(null);
            onChanged();
          }}
        />
      )}
    </Part>
  );
}

function Hours({ view, zone }: { view: BroadcastView; zone: string }) {
  const bars = (what: 'sent' | 'opened' | 'clicked') =>
    view.hours.slice(0, 72).map((one) => ({
      key: one.hour,
      value: one[what],
      says: `${sayShort(one.hour, zone)}: ${sayCount(one[what])} ${what}`,
    }));
  const sum = (what: 'sent' | 'opened' | 'clicked') => view.hours.reduce((total, one) => total + one[what], 0);
  return (
    <>
      <Bars bars={bars('sent')} name="Messages sent by hour" sum={`${sayCount(sum('sent'))} sent`} colour="var(--lane-1)" />
      <Bars bars={bars('opened')} name="First openings by hour" sum={`${sayCount(sum('opened'))} opened`} colour="var(--lane-3)" />
      <Bars bars={bars('clicked')} name="First clicks by hour" sum={`${sayCount(sum('clicked'))} clicked`} />
    </>
  );
}

const SPLITS: { readonly [by in SplitOfSends]: string } = {
  domain: 'By domain',
  device: 'By device on which it was opened',
  program: 'By program in which it was opened',
  segment: 'By segment people are in now',
};

function Split({ flowKey }: { flowKey: string }) {
  const [by, setBy] = useState<SplitOfSends>('domain');
  const { data, error, refetch } = useQuery({
    queryKey: ['broadcast-split', flowKey, by],
    queryFn: () => api<SendSplitView>(`/broadcasts/${flowKey}/split?by=${by}`),
    refetchInterval: 20_000,
  });
  type PartRow = SendSplitView['parts'][number];
  const columns: TableColumn<PartRow>[] = [
    { key: 'part', name: 'Part', value: (row) => row.part || 'not known' },
    { key: 'sent', name: 'Sent', isNumber: true, value: (row) => row.sent },
    {
      key: 'opened',
      name: 'Opened',
      isNumber: true,
      value: (row) => row.opened,
      show: (row) => `${sayCount(row.opened)} · ${sayShare(row.opened, row.sent) ?? ''}`,
    },
    {
      key: 'clicked',
      name: 'Clicked',
      isNumber: true,
      value: (row) => row.clicked,
      show: (row) => `${sayCount(row.clicked)} · ${sayShare(row.clicked, row.sent) ?? ''}`,
    },
    { key: 'bounced', name: 'Bounced', isNumber: true, value: (row) => row.bounced },
    { key: 'left', name: 'Unsubscribed', isNumber: true, value: (row) => row.unsubscribed },
  ];
  return (
    <Part
      title="By part"
      acts={
        <select
          aria-label="By which part"
          value={by}
          onChange={(event) => setBy(event.target.value as SplitOfSends)}
          className={`${fieldClass} w-72`}
        >
          {(Object.keys(SPLITS) as SplitOfSends[]).map((one) => (
            <option key={one} value={one}>
              {SPLITS[one]}
            </option>
          ))}
        </select>
      }
    >
      {error && !data ? (
        <Failed error={error} retry={() => void refetch()} />
      ) : !data ? (
        <Empty title="Counting…" />
      ) : data.parts.length ? (
        <Table name={`broadcast-${by}`} rows={data.parts} keyOf={(row) => row.part} columns={columns} />
      ) : (
        <Empty title="Nothing to split yet" />
      )}
    </Part>
  );
}

const DID: { readonly [did in Did]: string } = {
  all: 'Everybody it was meant for',
  sent: 'Got it',
  opened: 'Opened it',
  'not-opened': 'Got it and did not open it',
  clicked: 'Clicked in it',
  bounced: 'It bounced',
  skipped: 'Did not get it',
  ordered: 'Ordered, credited to it',
};
/** What holds of those who did something with a flow's messages, where a rule can say it. */
const RULES: { readonly [did in Did]?: (flow: string) => Rule } = {
  sent: (flow) => did('message.sent', flow),
  opened: (flow) => did('message.opened', flow),
  'not-opened': (flow) => ({ all: [did('message.sent', flow), { ...did('message.opened', flow), test: 'didNot' } as Rule] }),
  clicked: (flow) => did('message.clicked', flow),
};
const did = (event: string, flow: string): Rule => ({
  test: 'did',
  event,
  where: [{ property: 'flow', op: 'is', value: flow }],
  since: 'ever',
});

type Recipient = RecipientsView['items'][number];

/** Who got it and what they did; as a file, and as a segment that goes on by itself. */
function Recipients({ flow, did: what, onDid, onClose }: { flow: FlowView; did: Did; onDid: (did: Did) => void; onClose: () => void }) {
  const { zone } = useStore();
  const router = useRouter();
  const client = useQueryClient();
  const [more, setMore] = useState<{ of: Did; items: readonly Recipient[]; next: string | null } | null>(null);
  const { data, error, refetch } = useQuery({
    queryKey: ['recipients', flow.key, what],
    queryFn: () => api<RecipientsView>(`/broadcasts/${flow.key}/people?did=${what}`),
  });
  const items = more?.of === what ? [...(data?.items ?? []), ...more.items] : (data?.items ?? []);
  const next = more?.of === what ? more.next : (data?.next ?? null);
  const rule = RULES[what]?.(flow.key);
  const columns: TableColumn<Recipient>[] = [
    {
      key: 'name',
      name: 'Person',
      value: (one) => one.name || one.email,
      show: (one) => (
        <Link href={`/people/${encodeURIComponent(one.person)}`} className="font-semibold hover:underline">
          {one.name || one.email || one.person}
        </Link>
      ),
    },
    { key: 'email', name: 'Address', value: (one) => one.email },
    { key: 'message', name: 'Message', value: (one) => one.message },
    {
      key: 'state',
      name: 'State',
      value: (one) => one.state,
      show: (one) => (
        <>
          {one.state}
          {one.reason && <span className="block text-xs text-soft">{one.reason}</span>}
        </>
      ),
    },
    { key: 'opened', name: 'Opened', value: (one) => one.openedAt, show: (one) => one.openedAt && sayShort(one.openedAt, zone) },
    { key: 'clicked', name: 'Clicked', value: (one) => one.clickedAt, show: (one) => one.clickedAt && sayShort(one.clickedAt, zone) },
    { key: 'ordered', name: 'Ordered', value: (one) => (one.ordered ? 'yes' : 'no') },
  ];
  return (
    <Dialog isOpen onClose={onClose} title={`Who did what: ${flow.name}`} width={1000}>
      <div className="flex items-center gap-2">
        <select aria-label="Who" value={what} onChange={(event) => onDid(event.target.value as Did)} className={`${fieldClass} w-64`}>
          {(Object.keys(DID) as Did[]).map((one) => (
            <option key={one} value={one}>
              {DID[one]}
            </option>
          ))}
        </select>
        <div className="flex-1" />
        {rule && (
          <Button
            onClick={() =>
              router.push(
                `/people/segments/new?name=${encodeURIComponent(`${DID[what]}: ${flow.name}`.slice(0, 80))}&rule=${encodeURIComponent(JSON.stringify(rule))}`,
              )
            }
          >
            Make a segment…
          </Button>
        )}
        <a
          href={`/api/v1/broadcasts/${flow.key}/people/file?did=${what}`}
          download={`${slugOf(flow.name) || 'people'}.csv`}
          className="inline-flex h-8 items-center rounded-md border border-line bg-panel px-3 font-semibold hover:bg-wash"
        >
          Save as CSV
        </a>
      </div>
      {error && !data ? (
        <Failed error={error} retry={() => void refetch()} />
      ) : !data ? (
        <Empty title="Loading…" />
      ) : items.length ? (
        <>
          <Table name="recipients" rows={items} keyOf={(one) => `${one.person} ${one.message}`} columns={columns} />
          {next && (
            <Button
              className="justify-self-start"
              onClick={() =>
                void attempt(async () => {
                  const page = await client.fetchQuery({
                    queryKey: ['recipients', flow.key, what, next],
                    queryFn: () => api<RecipientsView>(`/broadcasts/${flow.key}/people?did=${what}&before=${next}`),
                  });
                  setMore({ of: what, items: [...(more?.of === what ? more.items : []), ...page.items], next: page.next });
                })
              }
            >
              More
            </Button>
          )}
        </>
      ) : (
        <Empty title="Nobody" />
      )}
    </Dialog>
  );
}
