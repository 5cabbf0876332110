'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { useRouter } from 'next/navigation';
import { useMemo, useState } from 'react';
import { listInput, type ListView } from '@/core/api';
import { cardColumn, useCards } from '../cards';
import {
  api,
  Ask,
  Button,
  Empty,
  Entry,
  Failed,
  isoOf,
  Label,
  Named,
  Page,
  sayCount,
  sayDate,
  Table,
  type TableColumn,
  useAsked,
  useStore,
} from '../kit';

const columnsOf = (zone: string): TableColumn<ListView>[] => [
  {
    key: 'name',
    name: 'List',
    value: (list) => list.name,
    show: (list) => <Named href={`/people/lists/${list.key}`} name={list.name} below={list.about} />,
  },
  { key: 'people', name: 'People', isNumber: true, value: (list) => list.people },
  {
    key: 'waiting',
    name: 'Asked, not confirmed',
    isNumber: true,
    value: (list) => (list.doubleOptIn ? list.waiting : null),
    show: (list) => (list.doubleOptIn ? sayCount(list.waiting) : ''),
  },
  {
    key: 'joining',
    name: 'Joining',
    value: (list) => (list.doubleOptIn ? 'double opt-in' : 'at once'),
    show: (list) => (list.doubleOptIn ? <Label>double opt-in</Label> : 'at once'),
  },
  {
    key: 'created',
    name: 'Created',
    isNumber: true,
    value: (list) => isoOf(list.createdAt),
    show: (list) => `${sayDate(list.createdAt, zone)} by ${list.createdBy}`,
  },
];

/** Lists: people are put in and taken out, and stay otherwise. */
export function ListsScreen() {
  const store = useStore();
  const router = useRouter();
  const { data, error, refetch } = useQuery({ queryKey: ['lists'], queryFn: () => api<{ lists: ListView[] }>('/lists') });
  const cards = useCards('list');
  const columns = useMemo(() => [...columnsOf(store.zone), cardColumn<ListView>(cards, ({ key }) => key)], [store.zone, cards]);
  const [isMaking, setMaking] = useState(false);
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  return (
    <Page
      title="Lists"
      back={{ href: '/people', name: 'All people' }}
      about="A list is fixed: people are put on it and taken off, by hand, by a form or from a file."
      acts={
        <Button changes="/lists" kind="primary" onClick={() => setMaking(true)}>
          <Plus size={16} aria-hidden="true" />
          New list
        </Button>
      }
    >
      <div className="rounded-md border border-line bg-panel">
        <Table
          name="Lists"
          rows={data?.lists}
          columns={columns}
          keyOf={(list) => list.key}
          hrefOf={(list) => `/people/lists/${list.key}`}
        />
        {!data ? (
          <Empty title="Loading…" />
        ) : (
          !data.lists.length && <Empty title="No list yet">Make one, then add people from the table, from a form or from a file.</Empty>
        )}
      </div>
      {isMaking && <ListDialog onClose={() => setMaking(false)} onDone={(list) => router.push(`/people/lists/${list.key}`)} />}
    </Page>
  );
}

/** Makes a list or changes one. */
export function ListDialog({ list, onClose, onDone }: { list?: ListView; onClose: () => void; onDone: (list: ListView) => void }) {
  const client = useQueryClient();
  const form = useAsked(listInput, { name: list?.name ?? '', about: list?.about ?? '', doubleOptIn: list?.doubleOptIn ?? false });
  return (
    <Ask
      isOpen
      onClose={onClose}
      title={list ? `Change “${list.name}”` : 'New list'}
      act={list ? 'Save' : 'Create'}
      form={form}
      onAct={async (body) => {
        const done = await api<ListView>(list ? `/lists/${list.key}` : '/lists', {
          method: list ? 'PUT' : 'POST',
          body,
        });
        await client.invalidateQueries({ queryKey: ['lists'] });
        await client.invalidateQueries({ queryKey: ['list'] });
        onDone(done);
      }}
    >
      <Entry form={form} name="name" label="Name" autoFocus maxLength={80} />
      <Entry form={form} name="about" label="What it is for" maxLength={300} />
      <label className="flex items-start gap-2">
        <input type="checkbox" {...form.register('doubleOptIn')} className="mt-1" />
        <span>
          Double opt-in
          <span className="block text-sm text-soft">
            Whoever has not agreed to email yet is asked by mail, and is on the list after the click.
          </span>
        </span>
      </label>
    </Ask>
  );
}
