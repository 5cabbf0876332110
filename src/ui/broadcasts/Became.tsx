'use client';

import { useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import type { BroadcastView, Did, FlowView, SendSplitView, SplitOfSends } from '@/core/api';
import { planOf } from '@/core/flows';
import { sayMoney, toMajor } from '@/core/money';
import {
  api,
  Bars,
  Button,
  Dialog,
  Empty,
  Failed,
  fieldClass,
  Part,
  plural,
  sayCount,
  sayMoment,
  sayShare,
  sayShort,
  Table,
  useStore,
  type TableColumn,
  Link,
} from '../kit';
import { ClicksOnLetter } from './ClicksOnLetter';
import { Recipients } from './Recipients';
import { Trial } from './Trial';

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
      value: (row) => toMajor(row.revenue),
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
      return `No clear winner: ${plural(view.trial?.waiting ?? 0, 'person waits', 'people wait')} until you choose one.`;
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
