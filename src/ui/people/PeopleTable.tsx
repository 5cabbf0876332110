'use client';

import { keepPreviousData, useQueries, useQuery, useQueryClient } from '@tanstack/react-query';
import { Columns3, Download, ListFilter, Save, X, UsersRound, PenLine } from 'lucide-react';
import { usePathname } from 'next/navigation';
import { useCallback, useDeferredValue, useEffect, useMemo, useState } from 'react';
import { viewInput, type AttributeView, type DirectoryItem, type DirectoryView, type FlowListView } from '@/core/api';
import { ruleSchema, sayName, sayWho, type Rule } from '@/core/rules';
import {
  api,
  Ask,
  Button,
  Drop,
  Empty,
  Entry,
  Failed,
  fieldClass,
  plural,
  sayCount,
  Table,
  useAsked,
  useStore,
  Dialog,
  issuesOf,
  useUndo,
  Link,
} from '../kit';
import { Narrowing, RuleEditor } from '../rules';
import { Beside } from './Beside';
import { BulkBar, type Chosen } from './BulkBar';
import { ByAttribute } from './ByAttribute';
import { COLUMNS, columnsOf } from './columns';
import { EMPTY, ORDERED, readView, ruleOf, writeView, type View } from './view';

const PAGE = 100;
const ROW = 34;

/** Everybody on file: search, filters, saved views and lists beside it, a table that goes on as far as it is scrolled, and acts on many. */
export function PeopleTable({ query }: { query: string }) {
  const store = useStore();
  const path = usePathname();
  const client = useQueryClient();
  const [view, setView] = useState(() => readView(query));
  const [chosen, setChosen] = useState<Chosen>({ kind: 'some', ids: new Set() });
  const [isSaving, setSaving] = useState(false);
  const [isWriting, setWriting] = useState(false);
  const put = (change: Partial<View>) => {
    setView((before) => ({ ...before, ...change }));
    if (!('sort' in change) && !('columns' in change) && !('direction' in change)) setChosen({ kind: 'some', ids: new Set() });
  };
  const words = useDeferredValue(view.q.trim());
  const address = writeView(view);
  useEffect(() => {
    window.history.replaceState(null, '', address ? `${path}?${address}` : path);
  }, [address, path]);

  const rule = ruleOf(view);
  const who = new URLSearchParams({
    ...(words && { q: words }),
    ...(view.inside && { inside: view.inside }),
    ...(rule && { rule: JSON.stringify(rule) }),
  }).toString();
  const order = `sort=${encodeURIComponent(view.sort)}&direction=${view.direction}`;
  const flows = useQuery({ queryKey: ['flows'], queryFn: () => api<FlowListView>('/flows') });
  const count = useQuery({
    queryKey: ['people', 'count', who],
    queryFn: ({ signal }) => api<DirectoryView>(`/people?limit=0&${who}`, { signal }),
    placeholderData: keepPreviousData,
  });
  const total = count.data?.total ?? 0;

  const [seen, setSeen] = useState({ first: 0, last: 40 });
  const onView = useCallback((first: number, last: number) => setSeen({ first, last }), []);
  const pages = useMemo(() => {
    const [from, to] = [Math.floor(seen.first / PAGE), Math.ceil(seen.last / PAGE)];
    return Array.from({ length: Math.max(1, to - from) }, (_, i) => from + i);
  }, [seen]);
  const loaded = useQueries({
    queries: pages.map((page) => ({
      queryKey: ['people', 'page', who, order, page],
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        api<DirectoryView>(`/people?count=no&limit=${PAGE}&offset=${page * PAGE}&${order}&${who}`, { signal }),
      staleTime: 15_000,
      placeholderData: pages.length === 1 ? keepPreviousData : undefined,
    })),
  });
  const error = count.error ?? loaded.find((one) => one.error)?.error ?? null;
  const personAt = (index: number): DirectoryItem | undefined => {
    const at = pages.indexOf(Math.floor(index / PAGE));
    return at < 0 ? undefined : loaded[at]?.data?.people[index % PAGE];
  };

  const columns = useMemo(() => columnsOf(view.columns.split(','), store.zone), [view.columns, store.zone]);
  const isFiltered = Boolean(who);
  const toggle = (person: DirectoryItem) => {
    const ids = new Set(chosen.kind === 'some' ? chosen.ids : []);
    if (!ids.delete(person.number)) ids.add(person.number);
    setChosen({ kind: 'some', ids });
  };
  const isChosen = (person: DirectoryItem) => chosen.kind === 'all' || chosen.ids.has(person.number);
  return (
    <div className="flex h-[calc(100vh-48px-var(--note,0px))]">
      <Beside
        view={view}
        onView={(next) => {
          setView(next);
          setChosen({ kind: 'some', ids: new Set() });
        }}
        put={put}
      />
      <div className="flex min-w-0 flex-1 flex-col px-5 py-4">
        <div className="mb-3 flex items-end gap-2">
          <div className="mr-auto">
            <h1 className="text-xl font-semibold">People</h1>
            <p className="whitespace-nowrap text-soft" role="status" data-testid="people-count">
              {count.isPending || count.isPlaceholderData
                ? 'Counting…'
                : `${plural(total, 'person', 'people')}${isFiltered ? (total === 1 ? ' matches' : ' match') : ' on file'}`}
            </p>
          </div>
          <input
            type="search"
            aria-label="Search people"
            placeholder="Name, email, phone or id"
            value={view.q}
            onChange={(event) => put({ q: event.target.value })}
            className={`${fieldClass} w-52`}
          />
          <select
            aria-label="Can be emailed"
            value={view.reach}
            onChange={(event) => put({ reach: event.target.value })}
            className={`${fieldClass} w-36`}
          >
            <option value="">emailed or not</option>
            <option value="yes">can be emailed</option>
            <option value="no">cannot be emailed</option>
          </select>
          <select
            aria-label="Orders"
            value={view.ordered}
            onChange={(event) => put({ ordered: event.target.value })}
            className={`${fieldClass} w-44`}
          >
            <option value="">any orders or none</option>
            {Object.entries(ORDERED).map(([key, { name }]) => (
              <option key={key} value={key}>
                {name}
              </option>
            ))}
          </select>
          <select
            aria-label="Inside a flow"
            value={view.inside}
            onChange={(event) => put({ inside: event.target.value })}
            className={`${fieldClass} w-40`}
          >
            <option value="">in any flow or none</option>
            {flows.data?.flows
              .filter((flow) => flow.version !== null)
              .map((flow) => (
                <option key={flow.key} value={flow.key}>
                  inside “{flow.name}”
                </option>
              ))}
          </select>
          <ByAttribute put={put} view={view} onMore={() => setWriting(true)} />
          <Choose view={view} put={put} />
          <a
            href={`/api/v1/exports?what=people&format=csv&${who}`}
            download
            aria-label="Save these people as CSV"
            title="Save these people as CSV"
            className="inline-flex size-8 items-center justify-center rounded-md border border-line bg-panel hover:bg-wash"
          >
            <Download size={16} aria-hidden="true" />
          </a>
        </div>
        {isFiltered && (
          <p className="mb-3 flex items-center gap-3 rounded-md border border-line bg-panel px-3 py-1.5">
            <span className="min-w-0 truncate" aria-busy={count.isPlaceholderData} title={count.data?.rule ?? undefined}>
              Everyone {rule ? <b>{sayWho(rule, { currency: store.currency })}</b> : 'who matches'}
              {words && <> and is found by “{words}”</>}
              {view.inside && <> and is inside a flow</>}
            </span>
            <span className="flex-1" />
            {rule && (
              <Drop
                className="w-[420px] p-4"
                button={
                  <button type="button" className="flex shrink-0 items-center gap-1 text-accent">
                    <ListFilter size={16} aria-hidden="true" /> How it narrows
                  </button>
                }
              >
                <Narrowing rule={rule} />
              </Drop>
            )}
            {rule && (
              <button type="button" className="flex shrink-0 items-center gap-1 text-accent" onClick={() => setWriting(true)}>
                <PenLine size={16} aria-hidden="true" /> Change
              </button>
            )}
            {rule && (
              <Link
                href={`/people/segments/new?rule=${encodeURIComponent(JSON.stringify(rule))}`}
                className="flex shrink-0 items-center gap-1 text-accent"
              >
                <UsersRound size={16} aria-hidden="true" /> As a segment
              </Link>
            )}
            <button type="button" className="flex shrink-0 items-center gap-1 text-accent" onClick={() => setSaving(true)}>
              <Save size={16} aria-hidden="true" /> Save as a view
            </button>
            <button
              type="button"
              className="flex shrink-0 items-center gap-1 text-accent"
              onClick={() => setView((before) => ({ ...EMPTY, columns: before.columns }))}
            >
              <X size={16} aria-hidden="true" /> Show everyone
            </button>
          </p>
        )}
        <BulkBar chosen={chosen} total={total} who={who} onChosen={setChosen} />
        <div
          className="flex min-h-0 flex-1 flex-col rounded-md border border-line bg-panel"
          aria-busy={count.isFetching || loaded.some((one) => one.isFetching)}
        >
          {error ? (
            <Failed error={error} retry={() => void client.invalidateQueries({ queryKey: ['people'] })} />
          ) : count.isPending ? (
            <Empty title="Loading people…" />
          ) : !total ? (
            <Empty title={isFiltered ? 'Nobody matches' : 'Nobody is on file yet'}>
              {isFiltered ? (
                'Take something out of the filter.'
              ) : (
                <>
                  People appear here with their first event.{' '}
                  <Link href="/data" className="text-accent underline">
                    Connect the shop
                  </Link>
                  , or{' '}
                  <Link href="/data/files" className="text-accent underline">
                    import a file
                  </Link>
                  .
                </>
              )}
            </Empty>
          ) : (
            <Table
              name="People"
              columns={columns}
              keyOf={(person) => String(person.number)}
              hrefOf={(person) => `/people/${encodeURIComponent(person.id)}`}
              far={{
                count: total,
                at: personAt,
                onView,
                height: ROW,
                sorting: { column: view.sort, isDown: view.direction === 'down' },
                onSort: ({ column, isDown }) => put({ sort: column, direction: isDown ? 'down' : 'up' }),
              }}
              chosen={{ is: isChosen, toggle, say: (person) => `Choose ${person.name ?? person.email ?? person.id}` }}
              head={
                <input
                  type="checkbox"
                  aria-label={`Choose all ${sayCount(total)}`}
                  checked={chosen.kind === 'all'}
                  onChange={(event) => setChosen(event.target.checked ? { kind: 'all' } : { kind: 'some', ids: new Set() })}
                  className="block"
                />
              }
            />
          )}
        </div>
      </div>
      {isWriting && (
        <Conditions
          rule={rule ?? { all: [] }}
          onClose={() => setWriting(false)}
          onDone={(next) => {
            setWriting(false);
            const isNothing = 'all' in next && !next.all.length;
            setView((before) => ({
              ...EMPTY,
              q: before.q,
              inside: before.inside,
              sort: before.sort,
              direction: before.direction,
              columns: before.columns,
              rule: isNothing ? '' : JSON.stringify(next),
            }));
            setChosen({ kind: 'some', ids: new Set() });
          }}
        />
      )}
      <SaveView isOpen={isSaving} onClose={() => setSaving(false)} query={address} />
    </div>
  );
}

/** Chooses the columns of the table. */
function Choose({ view, put }: { view: View; put: (change: Partial<View>) => void }) {
  const attributes = useQuery({
    queryKey: ['attributes'],
    queryFn: () => api<{ attributes: AttributeView[] }>('/attributes?count=no'),
    staleTime: 60_000,
  });
  const own = new Set(['email', 'country', 'firstName', 'lastName']);
  const all = [
    ...COLUMNS.map(({ key, name }) => ({ key, name })),
    ...(attributes.data?.attributes
      .filter((one) => !one.isRetired && !one.goesTo && !own.has(one.name))
      .map((one) => ({ key: `attribute:${one.name}`, name: sayName(one.name) })) ?? []),
  ];
  const now = view.columns.split(',').filter(Boolean);
  return (
    <Drop
      className="w-[240px] gap-1 p-3"
      button={
        <Button aria-label="Choose columns" title="Choose columns">
          <Columns3 size={16} aria-hidden="true" />
        </Button>
      }
    >
      {all.map(({ key, name }) => (
        <label key={key} className="flex items-center gap-2 rounded-md px-2 py-1 hover:bg-wash">
          <input
            type="checkbox"
            checked={now.includes(key)}
            onChange={(event) =>
              put({ columns: event.target.checked ? [...now, key].join(',') : now.filter((one) => one !== key).join(',') })
            }
          />
          {name}
        </label>
      ))}
    </Drop>
  );
}

/** Writes the conditions by which the table is filtered: all filters of before become one rule. */
function Conditions({ rule, onClose, onDone }: { rule: Rule; onClose: () => void; onDone: (rule: Rule) => void }) {
  const draft = useUndo(rule);
  const problems = issuesOf(ruleSchema.safeParse(draft.document));
  return (
    <Dialog isOpen onClose={onClose} title="Conditions" about="The table shows everybody for whom they hold." width={720}>
      {/* room for what is offered while a condition is typed */}
      <div className="min-h-[380px]">
        <RuleEditor rule={draft.document} onChange={draft.edit} />
      </div>
      {problems.slice(0, 1).map(({ path, message }) => (
        <p key={path} role="alert" className="text-stop">
          {path} {message}
        </p>
      ))}
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button kind="primary" disabled={problems.length > 0} onClick={() => onDone(draft.document)}>
          Filter
        </Button>
      </div>
    </Dialog>
  );
}

function SaveView({ isOpen, onClose, query }: { isOpen: boolean; onClose: () => void; query: string }) {
  const client = useQueryClient();
  const form = useAsked(viewInput, { name: '', query });
  return (
    <Ask
      isOpen={isOpen}
      onClose={onClose}
      title="Save as a view"
      about="Filters, order and columns are kept for everybody in the team."
      act="Save"
      form={form}
      onAct={async ({ name }) => {
        await api('/views', { method: 'POST', body: { name, query } });
        await client.invalidateQueries({ queryKey: ['views'] });
        form.reset();
      }}
    >
      <Entry form={form} name="name" label="Name" autoFocus maxLength={60} />
    </Ask>
  );
}
