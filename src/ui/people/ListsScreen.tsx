'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import Link from 'next/link';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import type { ListView } from '@/core/api';
import { api, Ask, Button, Empty, Failed, Field, inputClass, Label, Page, sayCount, sayDate, tdClass, thClass, useStore } from '../kit';

/** Lists: people are put in and taken out, and stay otherwise. */
export function ListsScreen() {
  const store = useStore();
  const router = useRouter();
  const { data, error, refetch } = useQuery({ queryKey: ['lists'], queryFn: () => api<{ lists: ListView[] }>('/lists') });
  const [isMaking, setMaking] = useState(false);
  if (error) return <Failed error={error} retry={() => void refetch()} />;
  return (
    <Page
      title="Lists"
      back={{ href: '/people', name: 'All people' }}
      about="A list is fixed: people are put on it and taken off, by hand, by a form or from a file."
      acts={
        <Button kind="primary" onClick={() => setMaking(true)}>
          <Plus size={16} aria-hidden="true" />
          New list
        </Button>
      }
    >
      <div className="overflow-x-auto rounded-md border border-line bg-panel">
        <table className="w-full">
          <thead className="border-b border-line text-xs text-soft">
            <tr>
              <th scope="col" className={thClass}>
                List
              </th>
              <th scope="col" className={`${thClass} text-right`}>
                People
              </th>
              <th scope="col" className={`${thClass} text-right`}>
                Asked, not confirmed
              </th>
              <th scope="col" className={thClass}>
                Joining
              </th>
              <th scope="col" className={`${thClass} text-right`}>
                Made
              </th>
            </tr>
          </thead>
          <tbody>
            {data?.lists.map((list) => (
              <tr
                key={list.key}
                className="cursor-pointer border-b border-line last:border-0 hover:bg-wash"
                onClick={() => router.push(`/people/lists/${list.key}`)}
              >
                <td className={tdClass}>
                  <Link
                    href={`/people/lists/${list.key}`}
                    className="font-semibold hover:underline"
                    onClick={(event) => event.stopPropagation()}
                  >
                    {list.name}
                  </Link>
                  <div className="text-xs text-soft">{list.about}</div>
                </td>
                <td className={`${tdClass} num`}>{sayCount(list.people)}</td>
                <td className={`${tdClass} num`}>{list.doubleOptIn ? sayCount(list.waiting) : ''}</td>
                <td className={tdClass}>{list.doubleOptIn ? <Label>double opt-in</Label> : 'at once'}</td>
                <td className={`${tdClass} num`}>
                  {sayDate(list.createdAt, store.zone)} by {list.createdBy}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
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
  const [name, setName] = useState(list?.name ?? '');
  const [about, setAbout] = useState(list?.about ?? '');
  const [doubleOptIn, setDouble] = useState(list?.doubleOptIn ?? false);
  return (
    <Ask
      isOpen
      onClose={onClose}
      title={list ? `Change “${list.name}”` : 'New list'}
      act={list ? 'Save' : 'Create'}
      canAct={Boolean(name.trim())}
      onAct={async () => {
        const done = await api<ListView>(list ? `/lists/${list.key}` : '/lists', {
          method: list ? 'PUT' : 'POST',
          body: { name, about, doubleOptIn },
        });
        await client.invalidateQueries({ queryKey: ['lists'] });
        await client.invalidateQueries({ queryKey: ['list'] });
        onDone(done);
      }}
    >
      <Field label="Name">
        <input autoFocus value={name} maxLength={80} onChange={(event) => setName(event.target.value)} className={inputClass} />
      </Field>
      <Field label="What it is for">
        <input value={about} maxLength={300} onChange={(event) => setAbout(event.target.value)} className={inputClass} />
      </Field>
      <label className="flex items-start gap-2">
        <input type="checkbox" checked={doubleOptIn} onChange={(event) => setDouble(event.target.checked)} className="mt-1" />
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
