'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useRef, useState } from 'react';
import { toast } from 'sonner';
import type { CodeView, OfferReport, OfferView } from '@/core/api';
import { sayMoney, toMinor } from '@/core/money';
import { sayAmount, sayExpires, type Offer } from '@/core/offers';
import { CardButton, CardLine } from '../cards';
import {
  api,
  Ask,
  attempt,
  Button,
  doneUndoable,
  Empty,
  Failed,
  Field,
  fieldClass,
  inputClass,
  isoOf,
  Label,
  Link,
  Menu,
  NotKnown,
  Page,
  Part,
  plural,
  sayCount,
  sayMoment,
  sayShare,
  Table,
  type TableColumn,
  useStore,
} from '../kit';
import { Comments } from '../comments';
import { Lives } from './Lives';
import { OfferEditor } from './OfferEditor';
import { OfferState } from './OffersScreen';

/** One offer: its terms in words, the lives of its codes, what they cost and brought, and the watch against gaming. */
export function OfferScreen({ id }: { id: string }) {
  const client = useQueryClient();
  const path = `/offers/${encodeURIComponent(id)}`;
  const { data, error, refetch } = useQuery({ queryKey: ['offer', id], queryFn: () => api<OfferView>(path), refetchInterval: 10_000 });
  const report = useQuery({
    queryKey: ['offer', id, 'report'],
    queryFn: () => api<OfferReport>(`${path}/report`),
    refetchInterval: 30_000,
  });
  const [isEditing, setEditing] = useState(false);
  const [isIssuing, setIssuing] = useState(false);
  const [isLoading, setLoading] = useState(false);
  const renew = () =>
    Promise.all([client.invalidateQueries({ queryKey: ['offer', id] }), client.invalidateQueries({ queryKey: ['offers'] })]);
  if (error)
    return (
      <Page title="Offer" back={{ href: '/offers', name: 'All offers' }}>
        <Failed error={error} retry={() => void refetch()} />
      </Page>
    );
  if (!data) return <Empty title="Loading…" />;
  const put = async (document: Offer) => {
    await api(path, { method: 'PUT', body: document });
    await renew();
  };
  const archive = () =>
    attempt(async () => {
      await api(path, { method: 'DELETE' });
      await renew();
      doneUndoable(
        'Archived. Codes that are out go on counting.',
        () =>
          void attempt(async () => {
            await api(`${path}/restore`, { method: 'POST' });
            await renew();
          }, 'It is back.'),
      );
    });
  const restore = () =>
    attempt(async () => {
      await api(`${path}/restore`, { method: 'POST' });
      await renew();
    }, 'It is back.');
  const isLoaded = 'loaded' in data.document.code;
  return (
    <Page
      title={data.name}
      back={{ href: '/offers', name: 'All offers' }}
      about={
        <span className="flex items-center gap-2">
          <OfferState offer={data} /> <span className="font-mono text-xs">{id}</span>
        </span>
      }
      acts={
        !isEditing && (
          <>
            <CardButton kind="offer" of={id} />
            <Comments kind="offer" of={id} />
            <Menu
              groups={[
                [
                  ...(data.isArchived
                    ? []
                    : [{ name: 'Issue a code to one person…', changes: '/offers', onSelect: () => setIssuing(true) }]),
                  ...(isLoaded ? [{ name: 'Load codes from a file…', changes: '/offers', onSelect: () => setLoading(true) }] : []),
                ],
                [
                  data.isArchived
                    ? { name: 'Restore', changes: '/offers', onSelect: () => void restore() }
                    : { name: 'Archive', changes: '/offers', takes: true, onSelect: () => void archive() },
                ],
              ].filter((group) => group.length)}
            >
              <Button>More</Button>
            </Menu>
            <Button changes="/offers" kind="primary" onClick={() => setEditing(true)}>
              Change
            </Button>
          </>
        )
      }
    >
      <CardLine kind="offer" of={id} />
      {isEditing ? (
        <OfferEditor
          document={data.document}
          act="Save"
          onCancel={() => setEditing(false)}
          onSave={async (document) => {
            await put(document);
            setEditing(false);
          }}
        />
      ) : (
        <div className="grid gap-5">
          <p className="rounded-md border border-line bg-panel px-4 py-3" data-testid="sentence">
            <b>{data.terms}</b>; a code counts {data.expiry}.{data.who && <> Only for people {data.who}.</>}
            {data.guard.length > 0 && <> None goes to anybody who {data.guard.join(', or ')}.</>}
            {data.isArchived && ' It is archived: no more codes are issued.'}
          </p>
          <div className="grid grid-cols-[1fr_400px] items-start gap-5">
            <div className="grid gap-5">
              <Part title="The lives of its codes">
                <div className="p-4">
                  {report.error ? (
                    <Failed error={report.error} retry={() => void report.refetch()} />
                  ) : !report.data ? (
                    <Empty title="Loading…" />
                  ) : !report.data.days.length ? (
                    <Empty title="No code has been issued yet">
                      Put the step “Discount code” into a flow, or issue one to somebody by hand under More.
                    </Empty>
                  ) : (
                    <Lives days={report.data.days} />
                  )}
                </div>
              </Part>
              <Codes id={id} />
            </div>
            <div className="grid gap-5">
              <Money data={data} report={report.data} />
              <Brings report={report.data} />
              <Watch report={report.data} />
              <Part title="Issued by">
                {data.flows.length || report.data?.byFlow.length ? (
                  <ul className="p-4">
                    {[...new Map([...(report.data?.byFlow ?? []), ...data.flows].map(({ key, name }) => [key, name]))].map(
                      ([key, name]) => {
                        const figures = report.data?.byFlow.find((one) => one.key === key);
                        return (
                          <li key={key} className="flex min-h-7 items-center justify-between gap-3">
                            <Link href={`/flows/${key}`} className="py-1 font-semibold hover:underline">
                              {name}
                            </Link>
                            <span className="text-soft tabular">
                              {figures ? `${sayCount(figures.issued)} issued, ${sayShare(figures.used, figures.issued)} used` : 'none yet'}
                            </span>
                          </li>
                        );
                      },
                    )}
                  </ul>
                ) : (
                  <p className="p-4 text-soft">No flow issues it. The step “Discount code” does.</p>
                )}
              </Part>
            </div>
          </div>
        </div>
      )}
      {isIssuing && <Issue id={id} onClose={() => setIssuing(false)} onDone={() => void renew()} />}
      {isLoading && <LoadCodes id={id} onClose={() => setLoading(false)} onDone={() => void renew()} />}
    </Page>
  );
}

function Row({ term, children }: { term: string; children: React.ReactNode }) {
  return (
    <div className="flex items-baseline justify-between gap-4">
      <dt className="text-soft">{term}</dt>
      <dd className="text-right tabular">{children}</dd>
    </div>
  );
}

/** What its codes cost and brought. */
function Money({ data, report }: { data: OfferView; report: OfferReport | undefined }) {
  const each = (minor: number, of: number) => (of ? sayMoney({ currency: data.discount.currency, minor: Math.round(minor / of) }) : null);
  return (
    <Part title="What it costs and brings">
      <dl className="grid gap-2 p-4">
        <Row term="Issued">
          <b>{plural(data.issued, 'code', 'codes')}</b>
        </Row>
        <Row term="Still open">{sayCount(data.open)}</Row>
        <Row term="Used">
          {sayCount(data.used)} <span className="text-soft">{data.issued ? sayShare(data.used, data.issued) : ''}</span>
        </Row>
        <Row term="Expired unused">{sayCount(data.expired)}</Row>
        {data.stored > 0 && <Row term="In store, not issued yet">{sayCount(data.stored)}</Row>}
        <Row term="Used by somebody else">
          {sayCount(data.passedOn)} <span className="text-soft">{data.used ? sayShare(data.passedOn, data.used) : ''}</span>
        </Row>
      </dl>
      <dl className="mx-4 grid gap-2 border-t border-line py-3">
        <Row term="Discount given">
          <b>{sayMoney(data.discount)}</b>
        </Row>
        <Row term="A used code took off">{each(data.discount.minor, data.used) ?? <NotKnown what="none used" />}</Row>
        <Row term="Orders with it, after refunds">
          <b>{sayMoney(data.revenue)}</b>
        </Row>
        <Row term={`Discount for each ${sayAmount(100, data.revenue.currency)} of them`}>
          {data.revenue.minor ? (
            sayMoney({
              currency: data.revenue.currency,
              minor: Math.round((toMinor(100, data.revenue.currency) * data.discount.minor) / data.revenue.minor),
            })
          ) : (
            <NotKnown what="no revenue" />
          )}
        </Row>
        <Row
          term={report?.margin ? `Left of ${sayMoney(report.margin.net)} once the goods are paid for` : 'Left once the goods are paid for'}
        >
          {report?.margin ? (
            <>
              <b>{sayMoney(report.margin.left)}</b>
              <span className="block text-xs text-soft">
                {report.margin.net.minor > 0 && `${Math.round((100 * report.margin.left.minor) / report.margin.net.minor)} % of `}
                {plural(report.margin.orders, 'order', 'orders')}
                {report.margin.unknown > 0 && `; of ${sayCount(report.margin.unknown)} more the costs are not all known`}
              </span>
            </>
          ) : (
            <NotKnown what={report ? 'no costs of products on file' : '…'} />
          )}
        </Row>
        {report?.perMessage && (
          <>
            <Row term={`Credited to a message with it, ${report.perMessage.days} days`}>
              <PerMessage {...report.perMessage.with} />
            </Row>
            <Row term="To one without it, of the same flows">
              <PerMessage {...report.perMessage.without} />
            </Row>
          </>
        )}
      </dl>
      <p className="px-4 pb-4 text-xs text-soft">
        Orders that name a code. Whether they would have been placed without it, only a test or a control group can tell.
      </p>
    </Part>
  );
}

function PerMessage({ messages, revenue }: { messages: number; revenue: { currency: string; minor: number } }) {
  if (!messages) return <NotKnown what="none went out" />;
  return (
    <>
      {sayMoney({ currency: revenue.currency, minor: Math.round(revenue.minor / messages) })}
      <span className="block text-xs text-soft">
        {sayMoney(revenue)} by {plural(messages, 'message', 'messages')}
      </span>
    </>
  );
}

/** What the offer brings, by those who were drawn to get none. */
function Brings({ report }: { report: OfferReport | undefined }) {
  const held = report?.holdout;
  if (!held) return null;
  const { with: got, without, difference, anyway } = held;
  const share = (part: number) => part.toLocaleString('en-IE', { style: 'percent', maximumFractionDigits: 0 });
  const points = (value: number) => value.toLocaleString('en-IE', { maximumFractionDigits: 1 });
  return (
    <Part title="Would they have bought anyway?">
      <div className="grid gap-2 p-4">
        {!difference ? (
          <p className="text-soft">
            {held.percent} in 100 are drawn to get none. There is an answer once some of both have had {held.days} days:{' '}
            {plural(got.people, 'person has', 'people have')} got one that long ago, {sayCount(without.people)} did not.
          </p>
        ) : (
          <>
            <p>
              Of {plural(got.people, 'person', 'people')} with a code <b>{sayShare(got.ordered, got.people)}</b> ordered within {held.days}{' '}
              days, of {sayCount(without.people)} drawn to get none <b>{sayShare(without.ordered, without.people) ?? '0 %'}</b>.
            </p>
            <p className="tabular">
              {difference.from > 0
                ? 'It brings orders: '
                : difference.to < 0
                  ? 'It costs orders: '
                  : 'Whether it brings orders cannot be told yet: '}
              {points(difference.points)} more of 100, and with 95 % certainty between {points(difference.from)} and {points(difference.to)}
              .
            </p>
            {anyway && (
              <p className="tabular">
                Of those who ordered with a code about <b>{share(anyway.share)}</b> would have ordered anyway (between {share(anyway.from)}{' '}
                and {share(anyway.to)}).
              </p>
            )}
            <p className="text-xs text-soft">The last 90 days. Interval of a difference of shares: Newcombe 1998, method 10.</p>
          </>
        )}
      </div>
    </Part>
  );
}

/** Whom the guard has kept codes from, and what that has saved. */
function Watch({ report }: { report: OfferReport | undefined }) {
  const { zone } = useStore();
  if (!report) return null;
  const times = report.withheld.reduce((sum, one) => sum + one.times, 0);
  return (
    <Part title="Kept back in 90 days">
      {!report.withheld.length ? (
        <p className="p-4 text-soft">Nobody who came by was kept from a code.</p>
      ) : (
        <div className="grid gap-3 p-4">
          <p>
            <b>{plural(times, 'code was', 'codes were')}</b> not issued
            {report.saved && (
              <>
                , about <b>{sayMoney(report.saved)}</b> of discount by what codes of it cost on average
              </>
            )}
            .
          </p>
          <ul className="grid gap-1">
            {report.withheld.map((one) => (
              <li key={one.why} className="flex items-baseline justify-between gap-3">
                <span>{one.says}</span>
                <span className="whitespace-nowrap text-soft tabular">{plural(one.people, 'person', 'people')}</span>
              </li>
            ))}
          </ul>
          {report.withheldFrom.length > 0 && (
            <details>
              <summary className="text-accent">Who, the most often first</summary>
              <ul className="mt-1 max-h-64 overflow-y-auto">
                {report.withheldFrom.map((one, index) => (
                  <li key={index} className="border-b border-line py-1 last:border-0">
                    <Link href={`/people/${encodeURIComponent(one.person.id)}`} className="font-semibold hover:underline">
                      {one.person.name || one.person.id}
                    </Link>{' '}
                    <span className="text-soft">
                      {one.says}, {one.times === 1 ? 'once' : `${sayCount(one.times)} times`}, last {sayMoment(one.lastAt, zone)}
                    </span>
                  </li>
                ))}
              </ul>
            </details>
          )}
        </div>
      )}
    </Part>
  );
}

const STATES: { readonly [state in CodeView['state']]: string } = {
  open: 'open',
  used: 'used',
  expired: 'expired unused',
  stored: 'in store',
};

/** The codes of an offer, those issued last first. */
function Codes({ id }: { id: string }) {
  const { zone } = useStore();
  const [state, setState] = useState<CodeView['state'] | ''>('');
  const { data, error, refetch } = useQuery({
    queryKey: ['offer', id, 'codes', state],
    queryFn: () =>
      api<{ codes: CodeView[]; next: string | null }>(`/offers/${encodeURIComponent(id)}/codes?limit=200${state && `&state=${state}`}`),
    refetchInterval: 15_000,
  });
  const columns: TableColumn<CodeView>[] = [
    { key: 'code', name: 'Code', value: (one) => one.code, show: (one) => <span className="font-mono">{one.code}</span> },
    {
      key: 'person',
      name: 'Whose',
      value: (one) => one.person?.name ?? '',
      show: (one) =>
        one.person ? (
          <Link href={`/people/${encodeURIComponent(one.person.id)}`} className="hover:underline">
            {one.person.name || one.person.id}
          </Link>
        ) : (
          <NotKnown what="nobody’s" />
        ),
    },
    {
      key: 'state',
      name: 'State',
      value: (one) => STATES[one.state],
      show: (one) => (
        <span>
          <Label tone={one.state === 'used' ? 'good' : one.state === 'open' ? 'caution' : undefined}>{STATES[one.state]}</Label>
          {one.used && (
            <span className="block text-xs text-soft">
              −{sayMoney(one.used.discount)}, order {one.used.orderId}
              {one.used.byOther && ', by somebody else'}
            </span>
          )}
        </span>
      ),
    },
    {
      key: 'issued',
      name: 'Issued',
      value: (one) => isoOf(one.issuedAt ?? ''),
      show: (one) => (one.issuedAt ? sayMoment(one.issuedAt, zone) : ''),
    },
    {
      key: 'expires',
      name: 'Counts up to',
      value: (one) => isoOf(one.expiresAt ?? ''),
      show: (one) => (one.expiresAt ? sayExpires(Date.parse(one.expiresAt), zone) : 'for ever'),
    },
  ];
  return (
    <Part
      title="Codes"
      acts={
        <select
          aria-label="Which codes"
          value={state}
          onChange={(event) => setState(event.target.value as typeof state)}
          className={fieldClass}
        >
          <option value="">all that were issued</option>
          {Object.entries(STATES).map(([one, words]) => (
            <option key={one} value={one}>
              {words}
            </option>
          ))}
        </select>
      }
    >
      {error ? (
        <Failed error={error} retry={() => void refetch()} />
      ) : (
        <>
          <div className="max-h-[420px] overflow-y-auto">
            <Table name="Codes" rows={data?.codes} columns={columns} keyOf={(one) => one.code} />
          </div>
          {!data ? (
            <Empty title="Loading…" />
          ) : !data.codes.length ? (
            <Empty title="No such code" />
          ) : (
            data.next && <p className="px-4 py-2 text-xs text-soft">The newest {sayCount(data.codes.length)}; all of them by the API.</p>
          )}
        </>
      )}
    </Part>
  );
}

/** Issues a code to one person by hand: the guard is not asked. */
function Issue({ id, onClose, onDone }: { id: string; onClose: () => void; onDone: () => void }) {
  const [person, setPerson] = useState('');
  const found = useQuery({
    queryKey: ['people', 'find', person],
    queryFn: () => api<{ people: { id: string; name: string; email: string | null }[] }>(`/people?q=${encodeURIComponent(person)}&limit=5`),
    enabled: person.trim().length > 1,
  });
  const [chosen, setChosen] = useState<string | null>(null);
  return (
    <Ask
      isOpen
      onClose={onClose}
      title="Issue a code to one person"
      about="It is theirs at once, whatever the guard says; the bounds of the offer hold. Nothing is sent: tell them yourself."
      act="Issue it"
      canAct={chosen !== null}
      onAct={async () => {
        const { code } = await api<CodeView>(`/offers/${encodeURIComponent(id)}/codes`, { method: 'POST', body: { person: chosen } });
        toast.success(`Issued: ${code}`);
        onDone();
      }}
    >
      <Field label="Who" hint="Type a name or an address, then choose">
        <input
          value={person}
          autoFocus
          onChange={(event) => {
            setPerson(event.target.value);
            setChosen(null);
          }}
          className={inputClass}
        />
      </Field>
      <div role="radiogroup" aria-label="Found" className="grid gap-1">
        {found.data?.people.map((one) => (
          <label key={one.id} className="flex items-center gap-2">
            <input type="radio" name="who" checked={chosen === one.id} onChange={() => setChosen(one.id)} />
            <b>{one.name || one.id}</b> <span className="text-soft">{one.email}</span>
          </label>
        ))}
        {found.data && !found.data.people.length && <p className="text-soft">Nobody on file matches.</p>}
      </div>
    </Ask>
  );
}

/** Lays codes in store that the shop has made: a file with one on each line. */
function LoadCodes({ id, onClose, onDone }: { id: string; onClose: () => void; onDone: () => void }) {
  const [codes, setCodes] = useState<string[]>([]);
  const name = useRef('');
  const read = async (file: File) => {
    name.current = file.name;
    const text = await file.text();
    // one code a line; of a file with columns the first
    setCodes(
      text
        .split(/\r?\n/)
        .map((line) =>
          line
            .split(/[,;\t]/)[0]!
            .replace(/^"|"$/g, '')
            .trim(),
        )
        .filter((code) => code.length >= 4),
    );
  };
  return (
    <Ask
      isOpen
      onClose={onClose}
      title="Load codes from a file"
      about="One code on each line. Each goes to one person; those that are on file already stay as they are."
      act={codes.length ? `Load ${plural(codes.length, 'code', 'codes')}` : 'Load'}
      canAct={codes.length > 0 && codes.length <= 50_000}
      onAct={async () => {
        const loaded = await api<{ added: number; known: number }>(`/offers/${encodeURIComponent(id)}/stored`, {
          method: 'POST',
          body: { codes },
        });
        toast.success(
          `${plural(loaded.added, 'code is', 'codes are')} in store${loaded.known ? `; ${sayCount(loaded.known)} were on file already` : ''}.`,
        );
        onDone();
      }}
    >
      <Field label="A text or CSV file">
        <input
          type="file"
          accept=".txt,.csv,text/plain,text/csv"
          onChange={(event) => {
            const [file] = event.target.files ?? [];
            if (file) void read(file);
          }}
        />
      </Field>
      {name.current && (
        <p>
          {name.current}: {plural(codes.length, 'code', 'codes')}
          {codes.length > 50_000 && '; at most 50,000 at once'}
        </p>
      )}
    </Ask>
  );
}
