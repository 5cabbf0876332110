'use client';

import { useQuery } from '@tanstack/react-query';
import { clsx } from 'clsx';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import type { BroadcastItem, FeedView, FlowListView, FlowView, LibraryItem } from '@/core/api';
import { broadcastOf, documentOf, freshBroadcast, type Broadcast } from '@/core/broadcasts';
import { freeKey } from '@/core/flows';
import type { Email } from '@/core/messages';
import { DAY, localDate } from '@/core/time';
import { api, Button, Dialog, Field, inputClass, useStore, useStoreTime, wordsOf } from '../kit';

type Way = 'empty' | 'library' | 'copy' | 'digest';
const WAYS: readonly (readonly [Way, string, string])[] = [
  ['empty', 'An empty letter', 'To everybody who can be written to, until you say whom.'],
  ['library', 'A message of the library', 'Its letter, as it stands there now.'],
  ['copy', 'A copy of another broadcast', 'The same people and letters, at another time.'],
  ['digest', 'News of a feed', 'Goes out each week, when there is something new.'],
];

const emptyLetter: Email = {
  schema: 'viatic.message/1',
  channel: 'email',
  kind: 'marketing',
  subject: '',
  preview: '',
  blocks: [{ id: 'b1', kind: 'text', text: '' }],
};

/** A new broadcast as a draft: nothing goes out before it is let go. */
export function NewBroadcast({ broadcasts, on, onClose }: { broadcasts: readonly BroadcastItem[]; on?: string; onClose: () => void }) {
  const router = useRouter();
  const { zone } = useStore();
  const clock = useStoreTime();
  const [way, setWay] = useState<Way>('empty');
  const [name, setName] = useState('');
  const [picked, setPicked] = useState('');
  const [isBusy, setBusy] = useState(false);
  const [problem, setProblem] = useState<string | null>(null);
  const library = useQuery({
    queryKey: ['library'],
    queryFn: () => api<{ items: LibraryItem[] }>('/messages'),
    enabled: way === 'library',
  });
  const feeds = useQuery({ queryKey: ['feeds'], queryFn: () => api<{ feeds: FeedView[] }>('/feeds'), enabled: way === 'digest' });
  const choices =
    way === 'library'
      ? (library.data?.items.filter((one) => one.message && !one.isArchived) ?? []).map((one) => [one.key, one.name] as const)
      : way === 'copy'
        ? broadcasts.filter(({ isPlain }) => isPlain).map((one) => [one.key, one.name] as const)
        : way === 'digest'
          ? (feeds.data?.feeds ?? []).map((one) => [one.key, one.name] as const)
          : [];
  const chosen = choices.some(([key]) => key === picked) ? picked : (choices[0]?.[0] ?? '');
  const suggested =
    way === 'empty' ? 'New broadcast' : `${choices.find(([key]) => key === chosen)?.[1] ?? ''}${way === 'copy' ? ', copy' : ''}`;

  const create = async () => {
    setBusy(true);
    setProblem(null);
    try {
      const called = (name.trim() || suggested || 'New broadcast').slice(0, 80);
      const { flows } = await api<FlowListView>('/flows');
      const away = await api<{ broadcasts: BroadcastItem[] }>('/broadcasts?archived=yes');
      const key = freeKey(
        called,
        [...flows, ...broadcasts, ...away.broadcasts].map((one) => one.key),
        'broadcast',
      );
      const starts = `${on ?? localDate(clock() + DAY, zone)}T10:00`;
      const made = await begin(way, chosen, called, starts, library.data?.items ?? []);
      await api<FlowView>(`/flows/${key}`, { method: 'PUT', body: documentOf(made, key, { name: called }) });
      router.push(`/broadcasts/${key}`);
    } catch (error) {
      setProblem(wordsOf(error));
      setBusy(false);
    }
  };
  return (
    <Dialog
      isOpen
      onClose={onClose}
      title="New broadcast"
      width={560}
      about="It begins as a draft: nothing goes out before you have had a last look at it."
    >
      <div role="radiogroup" aria-label="Begin with" className="grid gap-1">
        {WAYS.map(([one, words, about]) => (
          <label key={one} className={clsx('grid grid-cols-[auto_1fr] gap-x-2 rounded-md px-2 py-1.5', way === one && 'bg-wash')}>
            <input type="radio" name="way" checked={way === one} onChange={() => setWay(one)} className="mt-1" />
            <span>
              <b>{words}</b>
              <span className="block text-soft">{about}</span>
            </span>
          </label>
        ))}
      </div>
      {way !== 'empty' &&
        (choices.length ? (
          <Field label={way === 'library' ? 'Message' : way === 'copy' ? 'Broadcast' : 'Feed'}>
            <select value={chosen} onChange={(event) => setPicked(event.target.value)} className={inputClass}>
              {choices.map(([key, words]) => (
                <option key={key} value={key}>
                  {words}
                </option>
              ))}
            </select>
          </Field>
        ) : (
          <p className="text-soft">
            {way === 'library'
              ? 'The library has no message yet: it stands under Messages.'
              : way === 'copy'
                ? 'There is no broadcast yet.'
                : 'No feed is read yet: one is added under Messages, Feeds.'}
          </p>
        ))}
      <Field label="Name">
        <input
          value={name}
          placeholder={suggested}
          maxLength={80}
          onChange={(event) => setName(event.target.value)}
          className={inputClass}
        />
      </Field>
      {problem && (
        <p role="alert" className="text-stop">
          {problem}
        </p>
      )}
      <div className="flex justify-end gap-2">
        <Button onClick={onClose}>Cancel</Button>
        <Button kind="primary" disabled={isBusy || (way !== 'empty' && !chosen)} onClick={() => void create()}>
          Create
        </Button>
      </div>
    </Dialog>
  );
}

async function begin(way: Way, chosen: string, name: string, starts: string, library: readonly LibraryItem[]): Promise<Broadcast> {
  if (way === 'library') {
    const { message, revision } = library.find(({ key }) => key === chosen)!;
    return freshBroadcast(starts, { name, message: { ...message!, from: { key: chosen, revision } } });
  }
  if (way === 'copy') {
    const { draft } = await api<FlowView>(`/flows/${chosen}`);
    const other = broadcastOf(draft, chosen);
    if (!other) throw new Error('This broadcast has been changed as a flow, and cannot be copied here. Duplicate it as a flow.');
    return { ...other, when: { ...other.when, starts }, won: null };
  }
  if (way === 'digest') {
    const blocks: Email['blocks'] = [
      { id: 'b1', kind: 'heading', text: name, level: 1 } as Email['blocks'][number],
      { id: 'b2', kind: 'feed', feed: chosen, most: 5, news: true },
    ];
    const fresh = freshBroadcast(starts, { name, message: { ...emptyLetter, subject: name, blocks } });
    return { ...fresh, when: { starts, rule: 'FREQ=WEEKLY' }, news: { feed: chosen, atLeast: 1 } };
  }
  return freshBroadcast(starts, { name, message: emptyLetter });
}
