'use client';

import { keepPreviousData, useQueries, useQuery, useQueryClient } from '@tanstack/react-query';
import { Columns3, Download, ListFilter, Plus, Save, X } from 'lucide-react';
import Link from 'next/link';
import { usePathname } from 'next/navigation';
import { useCallback, useDeferredValue, useEffect, useMemo, useState } from 'react';
import {
  viewInput,
  type AttributeView,
  type DirectoryItem,
  type DirectoryView,
  type FlowListView,
  type ListView,
  type SavedView,
} from '@/core/api';
import { ATTRIBUTE_TYPE_WORDS, fitAttribute } from '@/core/people';
import { sayName, type Rule } from '@/core/rules';
import {
  api,
  Ask,
  attempt,
  Button,
  Drop,
  Empty,
  Entry,
  Failed,
  Field,
  fieldClass,
  inputClass,
  plural,
  sayCount,
  Table,
  useAsked,
  useStore,
} from '../kit';
import { Narrowing } from '../rules';
import { BulkBar, type Chosen } from './BulkBar';
import { COLUMNS, columnsOf, FIRST_COLUMNS } from './columns';

const PAGE = 100;
const ROW = 34;

const REACH: Record<string, Rule> = {
  yes: { test: 'consent', channel: 'email', reachable: true },
  no: { test: 'consent', channel: 'email', reachable: false },
};
const ORDERED: Record<string, { name: string; rule: Rule }> = {
  month: { name: 'ordered in the last 30 days', rule: { test: 'did', event: 'order.placed', since: { last: 'P30D' } } },
  twice: { name: 'ordered twice or more', rule: { test: 'did', event: 'order.placed', times: 2, since: 'ever' } },
  quiet: {
    name: 'ordered, but not in the last 90 days',
    rule: {
      all: [
        { test: 'did', event: 'order.placed', since: 'ever' },
        { test: 'didNot', event: 'order.placed', since: { last: 'P90D' } },
      ],
    },
  },
  never: { name: 'never ordered', rule: { test: 'didNot', event: 'order.placed', since: 'ever' } },
  left: {
    name: 'left a cart in the last 7 days',
    rule: {
      all: [
        { test: 'did', event: 'cart.updated', since: { last: 'P7D' } },
        { test: 'didNot', event: 'order.placed', since: { last: 'P7D' } },
      ],
    },
  },
};
const OPS = [
  ['is', 'is'],
  ['isNot', 'is not'],
  ['contains', 'contains'],
  ['atLeast', 'is at least'],
  ['atMost', 'is at most'],
  ['known', 'is known'],
  ['unknown', 'is not known'],
] as const;

interface AttributeFilter {
  readonly name: string;
  readonly op: (typeof OPS)[number][0];
  readonly value: string | number | boolean;
}
interface View {
  q: string;
  reach: string;
  ordered: string;
  inside: string;
  list: string;
  tag: string;
  rule: string;
  sort: string;
  direction: string;
  columns: string;
  where: string;
}
const EMPTY: View = {
  q: '',
  reach: '',
  ordered: '',
  inside: '',
  list: '',
  tag: '',
  rule: '',
  sort: 'seen',
  direction: 'down',
  columns: FIRST_COLUMNS.join(','),
  where: '',
};

const readView = (query: string): View => ({
  ...EMPTY,
  ...Object.fromEntries([...new URLSearchParams(query)].filter(([name]) => name in EMPTY)),
});
const writeView = (view: View): string =>
  new URLSearchParams(Object.entries(view).filter(([name, value]) => value !== EMPTY[name as keyof View])).toString();

function conditionsOf(view: View): AttributeFilter[] {
  try {
    const list: unknown = view.where ? JSON.parse(view.where) : [];
    return Array.isArray(list) ? (list as AttributeFilter[]) : [];
  } catch {
    return [];
  }
}

function ruleOf(view: View): Rule | null {
  const parts: Rule[] = [];
  if (view.rule) {
    try {
      parts.push(JSON.parse(view.rule) as Rule);
    } catch {
      // the server reads the address again and says what is wrong
    }
  }
  if (REACH[view.reach]) parts.push(REACH[view.reach]!);
  if (ORDERED[view.ordered]) parts.push(ORDERED[view.ordered]!.rule);
  if (view.list) parts.push({ test: 'list', list: view.list, member: true });
  if (view.tag) parts.push({ test: 'tag', tag: view.tag, has: true });
  for (const { name, op, value } of conditionsOf(view)) {
    parts.push({ test: 'attribute', name, op, ...(op !== 'known' && op !== 'unknown' && { value }) });
  }
  return parts.length ? (parts.length === 1 ? parts[0]! : { all: parts }) : null;
}

/** Everybody on file: search, filters, saved views and lists beside it, a table that goes on as far as it is scrolled, and acts on many. */
export function PeopleTable({ query }: { query: string }) {
  const store = useStore();
  const path = usePathname();
  const client = useQueryClient();
  const [view, setView] = useState(() => readView(query));
  const [chosen, setChosen] = useState<Chosen>({ kind: 'some', ids: new Set() });
  const [isSaving, setSaving] = useState(false);
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
    <div className="flex h-[calc(100vh-48px)]">
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
          <ByAttribute put={put} view={view} />
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
              {count.data?.rule ? (
                <>
                  Everyone who <b>{count.data.rule}</b>
                </>
              ) : (
                'Everyone who matches'
              )}
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
      <SaveView isOpen={isSaving} onClose={() => setSaving(false)} query={address} />
    </div>
  );
}

/** Saved views, lists and tags beside the table. */
function Beside({ view, onView, put }: { view: View; onView: (view: View) => void; put: (change: Partial<View>) => void }) {
  const client = useQueryClient();
  const views = useQuery({ queryKey: ['views'], queryFn: () => api<{ views: SavedView[] }>('/views') });
  const lists = useQuery({ queryKey: ['lists'], queryFn: () => api<{ lists: ListView[] }>('/lists') });
  const tags = useQuery({ queryKey: ['tags'], queryFn: () => api<{ tags: { tag: string; people: number }[] }>('/tags') });
  const here = writeView(view);
  const [isWhole, setWhole] = useState(false);
  const item = (isHere: boolean) =>
    `flex w-full items-center justify-between gap-2 rounded-md px-2 py-1 text-left ${isHere ? 'bg-wash font-semibold text-accent' : 'hover:bg-wash'}`;
  const drop = (saved: SavedView) =>
    attempt(async () => {
      await api(`/views/${saved.id}`, { method: 'DELETE' });
      await client.invalidateQueries({ queryKey: ['views'] });
    }, `The view “${saved.name}” is gone.`);
  return (
    <nav aria-label="Views and lists" className="w-[196px] shrink-0 overflow-y-auto border-r border-line bg-panel p-3 text-sm">
      <button type="button" className={item(!here || here === '')} onClick={() => onView(EMPTY)}>
        Everybody
      </button>
      <h2 className="mb-1 mt-4 px-2 text-xs font-semibold text-soft">Saved views</h2>
      {views.data?.views.map((saved) => (
        <div key={saved.id} className="group flex items-center">
          <button
            type="button"
            className={item(here === saved.query)}
            onClick={() => onView(readView(saved.query))}
            title={`Saved by ${saved.by}`}
          >
            <span className="truncate">{saved.name}</span>
          </button>
          <button
            type="button"
            aria-label={`Remove the view ${saved.name}`}
            title="Remove this view"
            onClick={() => void drop(saved)}
            className="grid size-6 shrink-0 place-items-center rounded-md opacity-0 hover:bg-wash focus:opacity-100 group-hover:opacity-100"
          >
            <X size={14} aria-hidden="true" />
          </button>
        </div>
      ))}
      {!views.data?.views.length && <p className="px-2 text-xs text-soft">Filter the table, then save it as a view.</p>}
      <div className="mb-1 mt-4 flex items-center justify-between px-2">
        <h2 className="text-xs font-semibold text-soft">Lists</h2>
        <Link href="/people/lists" className="text-xs text-accent">
          All lists
        </Link>
      </div>
      {lists.data?.lists.map((list) => (
        <button
          key={list.key}
          type="button"
          className={item(view.list === list.key)}
          onClick={() => put({ list: view.list === list.key ? '' : list.key })}
        >
          <span className="truncate" title={list.name}>
            {list.name}
          </span>
          <span className="tabular text-xs text-soft">{sayCount(list.people)}</span>
        </button>
      ))}
      {lists.data && !lists.data.lists.length && <p className="px-2 text-xs text-soft">No list yet.</p>}
      {!!tags.data?.tags.length && <h2 className="mb-1 mt-4 px-2 text-xs font-semibold text-soft">Tags</h2>}
      {tags.data?.tags.slice(0, isWhole ? undefined : 30).map(({ tag, people }) => (
        <button key={tag} type="button" className={item(view.tag === tag)} onClick={() => put({ tag: view.tag === tag ? '' : tag })}>
          <span className="truncate" title={tag}>
            {tag}
          </span>
          <span className="tabular text-xs text-soft">{sayCount(people)}</span>
        </button>
      ))}
      {(tags.data?.tags.length ?? 0) > 30 && !isWhole && (
        <button type="button" className="px-2 py-1 text-xs text-accent" onClick={() => setWhole(true)}>
          All {sayCount(tags.data!.tags.length)} tags
        </button>
      )}
    </nav>
  );
}

/** Filters by any attribute: "country is NL". */
function ByAttribute({ view, put }: { view: View; put: (change: Partial<View>) => void }) {
  const attributes = useQuery({
    queryKey: ['attributes'],
    queryFn: () => api<{ attributes: AttributeView[] }>('/attributes?count=no'),
    staleTime: 60_000,
  });
  const [isOpen, setOpen] = useState(false);
  const [draft, setDraft] = useState<{ name: string; op: AttributeFilter['op']; value: string }>({ name: 'country', op: 'is', value: '' });
  const values = useQuery({
    queryKey: ['attribute-values', draft.name],
    queryFn: () => api<{ values: { value: string; count: number }[] }>(`/attributes/${encodeURIComponent(draft.name)}/values`),
    enabled: isOpen,
    staleTime: 60_000,
  });
  const conditions = conditionsOf(view);
  const needsValue = draft.op !== 'known' && draft.op !== 'unknown';
  const type = attributes.data?.attributes.find((one) => one.name === draft.name)?.type ?? 'text';
  // a number is not the text of its digits: what is asked for is of the kind that the attribute holds
  const asked = (
    draft.op === 'atLeast' || draft.op === 'atMost'
      ? fitAttribute('number', draft.value)
      : draft.op === 'contains' || type === 'texts' || type === 'place'
        ? draft.value
        : fitAttribute(type, draft.value)
  ) as string | number | boolean | undefined;
  return (
    <Drop
      isOpen={isOpen}
      onOpenChange={setOpen}
      className="w-[340px] gap-3 p-4"
      button={
        <Button aria-label="Filter by an attribute">
          <Plus size={16} aria-hidden="true" />
          Attribute{conditions.length > 0 && ` (${conditions.length})`}
        </Button>
      }
    >
      {conditions.map((one, index) => (
        <p key={index} className="flex items-center justify-between gap-2 rounded-md bg-wash px-2 py-1 text-sm">
          <span>
            {sayName(one.name)} {OPS.find(([op]) => op === one.op)?.[1]}{' '}
            {one.op !== 'known' && one.op !== 'unknown' && `“${String(one.value)}”`}
          </span>
          <button
            type="button"
            aria-label={`Take out: ${sayName(one.name)}`}
            onClick={() => put({ where: JSON.stringify(conditions.filter((_, i) => i !== index)) })}
          >
            <X size={14} aria-hidden="true" />
          </button>
        </p>
      ))}
      <form
        className="grid gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          if (needsValue && asked === undefined) return;
          put({ where: JSON.stringify([...conditions, { ...draft, value: asked ?? '' }]) });
          setOpen(false);
        }}
      >
        <Field label="Attribute">
          <select
            value={draft.name}
            onChange={(event) => setDraft({ ...draft, name: event.target.value, value: '' })}
            className={inputClass}
          >
            {attributes.data?.attributes
              .filter((one) => !one.isRetired && !one.goesTo)
              .map((one) => (
                <option key={one.name} value={one.name}>
                  {sayName(one.name)}
                </option>
              ))}
          </select>
        </Field>
        <div className="grid grid-cols-2 gap-2">
          <Field label="How">
            <select
              value={draft.op}
              onChange={(event) => setDraft({ ...draft, op: event.target.value as AttributeFilter['op'] })}
              className={inputClass}
            >
              {OPS.map(([op, name]) => (
                <option key={op} value={op}>
                  {name}
                </option>
              ))}
            </select>
          </Field>
          {needsValue && (
            <Field label="Value">
              <input
                required
                list="attribute-values"
                type={draft.op === 'atLeast' || draft.op === 'atMost' ? 'number' : 'text'}
                step="any"
                value={draft.value}
                onChange={(event) => setDraft({ ...draft, value: event.target.value })}
                className={inputClass}
              />
            </Field>
          )}
        </div>
        <datalist id="attribute-values">
          {values.data?.values.slice(0, 50).map((one) => (
            <option key={one.value} value={one.value}>{`${sayCount(one.count)} people`}</option>
          ))}
        </datalist>
        {needsValue &&
          draft.value &&
          values.data &&
          draft.op === 'is' &&
          asked !== undefined &&
          values.data.values.length < 100 &&
          !values.data.values.some((one) => one.value === String(asked)) && (
            <p className="text-xs text-caution">
              Nobody’s {sayName(draft.name)} is “{draft.value}”. Found:{' '}
              {values.data.values
                .slice(0, 4)
                .map((one) => `“${one.value}”`)
                .join(', ') || 'nothing'}
              .
            </p>
          )}
        {needsValue && draft.value && asked === undefined && (
          <p role="alert" className="text-xs text-stop">
            “{draft.value}” is no {ATTRIBUTE_TYPE_WORDS[type]}.
          </p>
        )}
        <Button type="submit" kind="primary">
          Filter
        </Button>
      </form>
    </Drop>
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
