'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { CircleCheck, CircleHelp, CircleSlash, MoreHorizontal, Pencil, Plus, X } from 'lucide-react';
import { useRouter } from 'next/navigation';
import { useState, type ReactNode } from 'react';
import type { PersonView } from '@/core/api';
import { sayMoney } from '@/core/money';
import { CHANNEL_WORDS, sayName, sayValue } from '@/core/rules';
import { api, attempt, Button, Label, Menu, NotKnown, plural, sayDate, sayMoment, sayShort, useStore, Link } from '../kit';
import { PersonDialog, type PersonAct } from './PersonDialogs';
import { Story } from './Story';
import { WhyNot } from './WhyNot';

/** One person: who they are, what may be sent to them, where they are in flows, what can be done, and their whole story. */
export function PersonScreen({ initial }: { initial: PersonView }) {
  const store = useStore();
  const router = useRouter();
  const client = useQueryClient();
  const path = `/people/${encodeURIComponent(initial.id)}`;
  const { data: person } = useQuery({
    queryKey: ['person', initial.id],
    queryFn: () => api<PersonView>(path),
    initialData: initial,
    refetchInterval: 5_000,
  });
  const [act, setAct] = useState<PersonAct | null>(null);
  const [isAsking, setAsking] = useState(false);
  const refresh = async () => {
    await Promise.all([
      client.invalidateQueries({ queryKey: ['person', initial.id] }),
      client.invalidateQueries({ queryKey: ['story', initial.id] }),
    ]);
  };
  const post = (sub: string, body: unknown, done?: string) =>
    attempt(async () => {
      await api(`${path}/${sub}`, { method: 'POST', body });
      await refresh();
    }, done);
  const main = new Set(['firstName', 'lastName', 'email', 'phone']);
  const average = person.orders.totals.map((one) => ({
    ...one,
    minor: person.orders.count ? Math.round(one.minor / person.orders.count) : 0,
  }));
  const nextUp = person.flows.filter((flow) => flow.nextAt).sort((a, b) => a.nextAt!.localeCompare(b.nextAt!))[0];

  return (
    <div className="mx-auto grid max-w-[1280px] grid-cols-[340px_1fr] gap-5 px-6 py-4">
      <aside className="grid content-start gap-3">
        <div>
          <Link href="/people" className="text-xs text-accent">
            All people
          </Link>
          <h1 className="break-words text-xl font-semibold" data-testid="person-name">
            {person.name ?? person.email ?? (person.isKnown ? person.id : 'A visitor nobody knows yet')}
          </h1>
          <p className="break-all text-soft">{person.email ?? 'No email address on file'}</p>
          {person.claimsEmail && !person.email && (
            <p className="text-sm text-caution">
              Says to be <span className="break-all font-mono text-xs">{person.claimsEmail}</span>: nothing has shown that yet, so nothing
              goes to that address.
            </p>
          )}
          <div className="mt-2 flex flex-wrap items-center gap-1">
            {person.tags.map((tag) => (
              <span key={tag} className="inline-flex items-center gap-1 rounded-sm border border-line px-1.5 text-xs leading-[20px]">
                {tag}
                <button
                  type="button"
                  aria-label={`Remove the tag ${tag}`}
                  onClick={() => void post('tags', { tag, isOn: false }, `The tag “${tag}” is off.`)}
                >
                  <X size={12} aria-hidden="true" />
                </button>
              </span>
            ))}
            <button type="button" className="inline-flex items-center gap-0.5 text-xs text-accent" onClick={() => setAct('tag')}>
              <Plus size={12} aria-hidden="true" />
              Tag
            </button>
          </div>
          <div className="mt-3 flex gap-2">
            <Button changes="/people" onClick={() => setAct('edit')}>
              <Pencil size={16} aria-hidden="true" />
              Edit
            </Button>
            <Button changes="/people" onClick={() => setAct('write')} disabled={!person.email}>
              Write
            </Button>
            <Button changes="/people" onClick={() => setAct('flow')}>
              Start a flow
            </Button>
            <Menu
              groups={[
                [
                  { name: 'Record an event', changes: '/people', onSelect: () => setAct('event') },
                  { name: 'Merge with another person', changes: '/people', onSelect: () => setAct('merge') },
                  { name: 'Save everything on file', saves: `/api/v1${path}/everything` },
                  person.email !== null && { name: 'Never write to this address', changes: '/people', onSelect: () => setAct('suppress') },
                ],
                [{ name: 'Erase this person', changes: '/people', takes: true, onSelect: () => setAct('erase') }],
              ]}
            >
              <Button aria-label="More to do">
                <MoreHorizontal size={16} aria-hidden="true" />
              </Button>
            </Menu>
          </div>
        </div>
        <Card
          title="What may be sent"
          act={
            <button type="button" className="text-xs text-accent" onClick={() => setAct('consent')}>
              Enter consent
            </button>
          }
        >
          {person.channels
            .filter((one) => one.channel === 'email' || one.address || one.state !== 'unknown')
            .map((one) => (
              <div key={one.channel}>
                <p
                  className={`flex items-center gap-2 font-semibold ${one.reachable ? 'text-good' : 'text-stop'}`}
                  data-testid={one.channel === 'email' ? 'reach' : undefined}
                >
                  {one.reachable ? <CircleCheck size={16} aria-hidden="true" /> : <CircleSlash size={16} aria-hidden="true" />}
                  {CHANNEL_WORDS[one.channel].name}: {one.reachable ? 'marketing may go out' : 'marketing does not go out'}
                </p>
                <p className="pl-6 text-sm text-soft">
                  {one.because ? `${one.because[0]!.toUpperCase()}${one.because.slice(1)}. ` : ''}
                  {one.at
                    ? `Consent ${one.state} ${sayMoment(one.at, store.zone)}${one.how ? `, ${one.how}` : ''}${one.box ? `, box ${one.box} beforehand` : ''}.`
                    : one.address
                      ? 'Consent was never asked for.'
                      : ''}
                </p>
              </div>
            ))}
          {person.isKeptOut && (
            <p className="text-sm text-caution">Of the store’s control group: gets no marketing at all, service messages only.</p>
          )}
          {person.pausedUntil && <p className="text-sm text-caution">Asked for a pause until {sayDate(person.pausedUntil, store.zone)}.</p>}
          {person.declined.length > 0 && <p className="text-sm text-soft">Does not want to read about {person.declined.join(', ')}.</p>}
          <p>
            <a href={`/people/${encodeURIComponent(person.id)}/record`} className="text-xs text-accent underline">
              Record of consent, to print
            </a>
          </p>
        </Card>
        <Card title="Orders">
          <Facts
            rows={[
              ['Orders', plural(person.orders.count, 'order', 'orders')],
              [
                'Value, net',
                person.orders.totals.length ? person.orders.totals.map((one) => sayMoney(one)).join(', ') : <NotKnown what="none yet" />,
              ],
              ['Average', person.orders.count ? average.map((one) => sayMoney(one)).join(', ') : <NotKnown what="none yet" />],
              [
                'First and last',
                person.orders.firstAt ? (
                  `${sayDate(person.orders.firstAt, store.zone)} – ${sayDate(person.orders.lastAt!, store.zone)}`
                ) : (
                  <NotKnown what="none yet" />
                ),
              ],
              [
                'Typical gap',
                person.orders.typicalGapDays === null ? (
                  <NotKnown what="needs two orders" />
                ) : (
                  plural(person.orders.typicalGapDays, 'day', 'days')
                ),
              ],
              [
                'Expected',
                person.predicted ? (
                  <>
                    {sayMoney(person.predicted.year)} within a year, {Math.round(person.predicted.orders90 * 10) / 10} orders in 90 days
                    <span className="block text-xs text-soft">
                      {Math.round(person.predicted.active * 100)} % likely still buys
                      {person.predicted.nextAt && `; the next order by about ${sayDate(person.predicted.nextAt, store.zone)}`}
                    </span>
                  </>
                ) : (
                  <NotKnown what="too little is known" />
                ),
              ],
            ]}
          />
        </Card>
        <Card
          title="In flows"
          act={
            <button type="button" className="flex items-center gap-1 text-xs text-accent" onClick={() => setAsking(true)}>
              <CircleHelp size={14} aria-hidden="true" />
              Why not …?
            </button>
          }
        >
          {nextUp && (
            <p className="text-sm">
              <b>Next:</b> {nextUp.next ?? `“${nextUp.name}” is looked at again`}, {sayShort(nextUp.nextAt!, store.zone)}
            </p>
          )}
          {person.flows.length ? (
            person.flows.map((flow) => (
              <div key={flow.run} className="group border-l-[3px] border-[var(--lane-1)] pl-2 text-sm">
                <div className="flex items-center gap-2">
                  <Link href={`/flows/${flow.flow}`} className="font-semibold hover:underline">
                    {flow.name}
                  </Link>
                  <span className="flex-1" />
                  <button
                    type="button"
                    className="text-xs text-accent"
                    onClick={() =>
                      void attempt(async () => {
                        await api(`${path}/runs/${flow.run}`, { method: 'DELETE' });
                        await refresh();
                      }, `Taken out of “${flow.name}”.`)
                    }
                  >
                    Take out
                  </button>
                </div>
                <p className="text-soft">
                  {flow.at ?? 'Inside'}, version {flow.version}
                  {flow.key && (
                    <>
                      {' '}
                      for <span className="break-all font-mono text-xs">{flow.key}</span>
                    </>
                  )}
                </p>
                {flow.nextAt && (
                  <p>
                    {flow.next ? `Then: ${flow.next}` : 'Looked at again'}, {sayShort(flow.nextAt, store.zone)}
                  </p>
                )}
              </div>
            ))
          ) : (
            <p className="text-soft">In no flow at this moment.</p>
          )}
        </Card>
        <Card title="Segments">
          {person.segments.length ? (
            person.segments.map((segment) => (
              <p key={segment.key} className="text-sm">
                <Link href={`/people/segments/${segment.key}`} className="font-semibold hover:underline">
                  {segment.name}
                </Link>{' '}
                <span className="text-soft">
                  since {sayDate(segment.since, store.zone)}: {segment.because}
                </span>
              </p>
            ))
          ) : (
            <p className="text-soft">In no segment at this moment.</p>
          )}
        </Card>
        <Card
          title="Lists"
          act={
            <button type="button" className="text-xs text-accent" onClick={() => setAct('list')}>
              Add to a list
            </button>
          }
        >
          {person.lists.length ? (
            person.lists.map((list) => (
              <p key={list.key} className="flex items-center gap-2 text-sm">
                <Link href={`/people/lists/${list.key}`} className="font-semibold hover:underline">
                  {list.name}
                </Link>
                <span className="truncate text-soft">
                  since {sayDate(list.at, store.zone)}, {list.how}
                </span>
                <span className="flex-1" />
                <button
                  type="button"
                  className="text-xs text-accent"
                  aria-label={`Remove from ${list.name}`}
                  onClick={() => void post('lists', { list: list.key, isOn: false }, `Off “${list.name}”.`)}
                >
                  Remove
                </button>
              </p>
            ))
          ) : (
            <p className="text-soft">On no list.</p>
          )}
        </Card>
        <Card title="Attributes">
          <Facts
            rows={[
              ['Phone', typeof person.attributes.phone === 'string' ? person.attributes.phone : <NotKnown />],
              ...Object.entries(person.attributes)
                .filter(([key]) => !main.has(key))
                .map(([key, value]): [string, ReactNode] => [
                  sayName(key),
                  typeof value === 'string' ? value : Array.isArray(value) ? value.join(', ') : sayValue(value),
                ]),
              ['on file since', sayMoment(person.createdAt, store.zone)],
              ['last seen', sayMoment(person.seenAt, store.zone)],
            ]}
          />
        </Card>
        <Card title="Known by">
          <ul className="grid gap-1 text-sm">
            {person.identifiers.map((one) => (
              <li key={`${one.kind}:${one.value}`} className="flex items-baseline gap-2">
                <span className="w-20 shrink-0 text-soft">
                  {{ external: 'external id', email: 'email', phone: 'phone', device: 'device' }[one.kind] ?? one.kind}
                </span>
                <span className="min-w-0 break-all font-mono text-xs">{one.value}</span>
                {one.isShared && <Label tone="caution">shared: joins nobody</Label>}
              </li>
            ))}
          </ul>
          {person.maybeSame.map((one) => (
            <p key={one.id} className="text-sm">
              Maybe the same:{' '}
              <Link href={`/people/${encodeURIComponent(one.id)}`} className="text-accent underline">
                {one.name ?? one.email ?? one.id}
              </Link>
              , who {one.because}
            </p>
          ))}
          {person.merges
            .filter((merge) => !merge.undoneAt)
            .map((merge) => (
              <p key={merge.id} className="text-sm text-soft">
                One with {merge.loser.name ?? merge.loser.email ?? merge.loser.externalId} since {sayDate(merge.at, store.zone)} (
                {merge.because}).{' '}
                {merge.canUndo && (
                  <button
                    type="button"
                    className="text-accent underline"
                    onClick={() =>
                      void attempt(async () => {
                        await api(`/merges/${merge.id}/undo`, { method: 'POST', body: {} });
                        await refresh();
                      }, 'They are two again.')
                    }
                  >
                    Undo
                  </button>
                )}
              </p>
            ))}
        </Card>
      </aside>
      <Story path={path} zone={store.zone} id={person.id} />
      {act && (
        <PersonDialog
          act={act}
          person={person}
          path={path}
          onClose={() => setAct(null)}
          onDone={refresh}
          onGone={(to) => router.push(to)}
        />
      )}
      {isAsking && <WhyNot path={path} onClose={() => setAsking(false)} />}
    </div>
  );
}

function Card({ title, act, children }: { title: string; act?: ReactNode; children: ReactNode }) {
  return (
    <section aria-label={title} className="grid gap-2 rounded-md border border-line bg-panel px-4 py-3">
      <div className="flex items-center justify-between">
        <h2 className="text-xs font-semibold text-soft">{title}</h2>
        {act}
      </div>
      {children}
    </section>
  );
}

function Facts({ rows }: { rows: [string, ReactNode][] }) {
  return (
    <dl className="grid grid-cols-[auto_1fr] gap-x-4 gap-y-1 text-sm">
      {rows.map(([term, value]) => (
        <div key={term} className="contents">
          <dt className="text-soft">{term}</dt>
          <dd className="min-w-0 break-words text-right tabular">{value}</dd>
        </div>
      ))}
    </dl>
  );
}
