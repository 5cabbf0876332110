'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useRouter } from 'next/navigation';
import { useDeferredValue, useState } from 'react';
import { toast } from 'sonner';
import type { DirectoryView, GrowthView, ListView } from '@/core/api';
import { CONFIRM_SAMPLE, listLetter } from '@/core/messages';
import { CardButton, CardLine } from '../cards';
import {
  api,
  attempt,
  Button,
  doneUndoable,
  Empty,
  Failed,
  inputClass,
  Label,
  Link,
  NotKnown,
  Page,
  Part,
  plural,
  sayCount,
  sayDate,
  useStore,
} from '../kit';
import { LetterDesk } from '../letters';
import { Growth } from './Growth';
import { ListDialog } from './ListsScreen';

/** One list: how it grows, who is on it, adding and taking off. */
export function ListScreen({ id }: { id: string }) {
  const store = useStore();
  const router = useRouter();
  const client = useQueryClient();
  const list = useQuery({
    queryKey: ['list', id],
    queryFn: () => api<ListView>(`/lists/${encodeURIComponent(id)}`),
    refetchInterval: 5_000,
  });
  const growth = useQuery({ queryKey: ['list', id, 'growth'], queryFn: () => api<GrowthView>(`/lists/${encodeURIComponent(id)}/growth`) });
  const rule = encodeURIComponent(JSON.stringify({ test: 'list', list: id, member: true }));
  const people = useQuery({
    queryKey: ['people', 'list', id],
    queryFn: () => api<DirectoryView>(`/people?limit=50&count=no&rule=${rule}`),
  });
  const [isEditing, setEditing] = useState(false);
  const [words, setWords] = useState('');
  const [isWriting, setWriting] = useState(false);
  const asked = useDeferredValue(words.trim());
  const found = useQuery({
    queryKey: ['people', 'for-list', asked],
    queryFn: ({ signal }) => api<DirectoryView>(`/people?limit=8&count=no&q=${encodeURIComponent(asked)}`, { signal }),
    enabled: asked.length >= 2,
  });
  if (list.error)
    return (
      <Page title="List" back={{ href: '/people/lists', name: 'All lists' }}>
        <Failed error={list.error} retry={() => void list.refetch()} />
      </Page>
    );
  if (!list.data) return <Empty title="Loading…" />;
  const refresh = async () => {
    await Promise.all([
      client.invalidateQueries({ queryKey: ['list', id] }),
      client.invalidateQueries({ queryKey: ['people', 'list', id] }),
      client.invalidateQueries({ queryKey: ['lists'] }),
    ]);
  };
  const put = (personId: string, isOn: boolean) =>
    attempt(async () => {
      const { state } = await api<{ state: string }>(`/people/${encodeURIComponent(personId)}/lists`, {
        method: 'POST',
        body: { list: id, isOn },
      });
      toast.success(state === 'asked' ? 'A mail that asks them to confirm is on its way.' : isOn ? 'On the list.' : 'Off the list.');
      await refresh();
    });
  const on = new Set(people.data?.people.map((one) => one.number));
  return (
    <Page
      title={
        <>
          {list.data.name} {list.data.doubleOptIn && <Label>double opt-in</Label>}
        </>
      }
      back={{ href: '/people/lists', name: 'All lists' }}
      about={sayList(list.data)}
      acts={
        <>
          <CardButton kind="list" of={id} />
          {list.data.doubleOptIn && (
            <Button changes="/lists" onClick={() => setWriting(true)}>
              Letter that asks…
            </Button>
          )}
          <Link
            href={`/data/files/new?list=${id}`}
            className="inline-flex h-8 items-center rounded-md border border-line bg-panel px-3 font-semibold hover:bg-wash"
          >
            Import into it
          </Link>
          <Button changes="/lists" onClick={() => setEditing(true)}>
            Change
          </Button>
          <Button
            changes="/lists"
            onClick={() =>
              void attempt(async () => {
                await api(`/lists/${id}`, { method: 'PATCH', body: { isAway: true } });
                await client.invalidateQueries({ queryKey: ['lists'] });
                doneUndoable(
                  'Archived.',
                  () =>
                    void attempt(async () => {
                      await api(`/lists/${id}`, { method: 'PATCH', body: { isAway: false } });
                      await client.invalidateQueries({ queryKey: ['lists'] });
                    }, 'It is back.'),
                );
                router.push('/people/lists');
              })
            }
          >
            Archive
          </Button>
        </>
      }
    >
      {isWriting && (
        <LetterDesk
          title={`Asks for “${list.data.name}”`}
          letter={list.data.confirmation ?? listLetter(store.name, list.data.name)}
          given={CONFIRM_SAMPLE}
          act="Save"
          onClose={() => setWriting(false)}
          onAct={async (confirmation) => {
            const { name, about, doubleOptIn } = list.data;
            await api(`/lists/${id}`, { method: 'PUT', body: { name, about, doubleOptIn, confirmation } });
            toast.success('Saved. It goes out to whoever is asked from now on.');
            setWriting(false);
            await refresh();
          }}
        />
      )}
      <CardLine kind="list" of={id} />
      <div className="grid grid-cols-[1fr_420px] items-start gap-5">
        <div className="grid gap-4">
          <Part title="Growth, last 90 days">
            <div className="p-4">
              {growth.data ? (
                <Growth days={growth.data.days} where="on the list" />
              ) : growth.error ? (
                <Failed error={growth.error} retry={() => void growth.refetch()} />
              ) : (
                <Empty title="Loading…" />
              )}
            </div>
          </Part>
        </div>
        <Part
          title="On it"
          acts={
            <Link href={`/people?list=${id}`} className="text-sm text-accent underline">
              All in the table
            </Link>
          }
        >
          <div className="border-b border-line p-3">
            <input
              type="search"
              aria-label="Add a person"
              placeholder="Add a person: name, email or id"
              value={words}
              onChange={(event) => setWords(event.target.value)}
              className={inputClass}
            />
            {asked.length >= 2 && (
              <ul className="mt-2">
                {found.data?.people.map((one) => (
                  <li key={one.number} className="flex items-center gap-2 py-1">
                    <span className="min-w-0 flex-1 truncate" title={[one.name, one.email].filter(Boolean).join(', ')}>
                      <b>{one.name ?? 'name not known'}</b> <span className="text-soft">{one.email}</span>
                    </span>
                    {on.has(one.number) ? (
                      <span className="text-xs text-soft">on it</span>
                    ) : (
                      <Button changes="/lists" onClick={() => void put(one.id, true)}>
                        Add
                      </Button>
                    )}
                  </li>
                ))}
                {found.data && !found.data.people.length && <li className="text-soft">Nobody is found by that.</li>}
              </ul>
            )}
          </div>
          <ul className="max-h-[420px] overflow-y-auto">
            {people.data?.people.map((one) => (
              <li key={one.number} className="flex items-center gap-2 border-b border-line px-4 py-1.5 last:border-0">
                <Link
                  href={`/people/${encodeURIComponent(one.id)}`}
                  className="min-w-0 flex-1 truncate hover:underline"
                  title={[one.name, one.email].filter(Boolean).join(', ')}
                >
                  {one.name ? <b>{one.name}</b> : <NotKnown what="name not known" />} <span className="text-soft">{one.email}</span>
                </Link>
                <span className="text-xs text-soft" title="last seen">
                  seen {sayDate(one.seenAt, store.zone)}
                </span>
                <button
                  type="button"
                  className="text-xs text-accent"
                  aria-label={`Remove ${one.name ?? one.email ?? one.id}`}
                  onClick={() => void put(one.id, false)}
                >
                  Remove
                </button>
              </li>
            ))}
          </ul>
          {people.error && <Failed error={people.error} retry={() => void people.refetch()} />}
          {people.data && !people.data.people.length && (
            <Empty title="Nobody is on it yet">Add somebody above, or choose people in the table and add them all.</Empty>
          )}
          {list.data.people > 50 && (
            <p className="border-t border-line px-4 py-2 text-xs text-soft">
              The 50 seen last.{' '}
              <Link href={`/people?list=${id}`} className="text-accent underline">
                All {sayCount(list.data.people)} in the table
              </Link>
            </p>
          )}
        </Part>
      </div>
      {isEditing && (
        <ListDialog
          list={list.data}
          onClose={() => setEditing(false)}
          onDone={() => {
            setEditing(false);
            void refresh();
          }}
        />
      )}
    </Page>
  );
}

/** What a list is for, and how many are on it. */
const sayList = ({ about, people, doubleOptIn, waiting }: ListView): string => {
  const asked = doubleOptIn ? `, ${plural(waiting, 'was', 'were')} asked and did not confirm yet` : '';
  return `${about ? `${about}. ` : ''}${plural(people, 'person is', 'people are')} on it${asked}.`;
};
