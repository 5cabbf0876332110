'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { useRouter } from 'next/navigation';
import { useState } from 'react';
import type { LibraryItem, ReplaceView } from '@/core/api';
import { freshBlock, onChannel, type Email, type Message } from '@/core/messages';
import type { Channel } from '@/core/rules';
import { api, attempt, Button, Dialog, Empty, Failed, Field, inputClass, Label, Menu, Page, plural, sayDate, useStore, Link } from '../kit';
import { keyFor } from './Dialogs';
import { Small } from './FromLibrary';
import { Thumb } from './Thumb';

/** A letter to begin with. */
const blank = (): Email => ({
  schema: 'viatic.message/1',
  channel: 'email',
  kind: 'marketing',
  subject: '',
  preview: '',
  blocks: [freshBlock('text', 'b1')],
});
const THINGS: { readonly [channel in Channel]: { readonly name: string; readonly begin: () => Message } } = {
  email: { name: 'New letter', begin: blank },
  sms: { name: 'New text message', begin: () => onChannel(blank(), 'sms') },
  push: { name: 'New push message', begin: () => onChannel(blank(), 'push') },
};

/** A blocks' letter, to be shown as a picture. */
export const letterOfItem = (item: LibraryItem): Email | null =>
  item.message?.channel === 'email' ? item.message : item.blocks ? { ...blank(), kind: 'service', blocks: [...item.blocks] } : null;

/** The library: letters and parts to be used again, each as a small picture of itself, with where it is used. */
export function LibraryScreen() {
  const router = useRouter();
  const client = useQueryClient();
  const { zone } = useStore();
  const [words, setWords] = useState('');
  const [isAll, setAll] = useState(false);
  const [isReplacing, setReplacing] = useState(false);
  const { data, error, refetch } = useQuery({ queryKey: ['library'], queryFn: () => api<{ items: LibraryItem[] }>('/messages') });
  const add = (channel: Channel) =>
    attempt(async () => {
      const { name, begin } = THINGS[channel];
      const key = keyFor(name.replace('New ', ''));
      await api(`/messages/${key}`, { method: 'PUT', body: { name, message: begin() } });
      await client.invalidateQueries({ queryKey: ['library'] });
      router.push(`/messages/${key}`);
    });
  const asked = words.trim().toLowerCase();
  const shown = data?.items.filter(
    (one) =>
      (isAll || !one.isArchived) &&
      (!asked || [one.name, ...one.tags, ...one.uses.map(({ name }) => name)].some((text) => text.toLowerCase().includes(asked))),
  );
  return (
    <Page
      title="Messages"
      about="Letters and parts to be used again. What is put into a flow is a copy; when its original changes, the flow is offered the update."
      acts={
        <>
          <Button changes="/messages" onClick={() => setReplacing(true)}>
            Find and replace…
          </Button>
          <Menu groups={[(['sms', 'push'] as const).map((channel) => ({ name: THINGS[channel].name, onSelect: () => void add(channel) }))]}>
            <Button changes="/messages">New for a phone</Button>
          </Menu>
          <Button changes="/messages" kind="primary" onClick={() => void add('email')}>
            <Plus size={16} aria-hidden="true" /> New letter
          </Button>
        </>
      }
    >
      <div className="mb-4 flex items-center gap-4">
        <input
          type="search"
          aria-label="Search the library"
          placeholder="Name, tag or flow"
          value={words}
          onChange={(event) => setWords(event.target.value)}
          className={`${inputClass} max-w-[280px]`}
        />
        <label className="flex items-center gap-2">
          <input type="checkbox" checked={isAll} onChange={(event) => setAll(event.target.checked)} /> Archived too
        </label>
        {shown && <span className="text-soft">{plural(shown.length, 'thing', 'things')}</span>}
      </div>
      {error ? (
        <Failed error={error} retry={() => void refetch()} />
      ) : !shown ? (
        <Empty title="Loading…" />
      ) : !shown.length ? (
        <Empty title={asked ? 'Nothing by these words' : 'Nothing is in the library yet'}>
          {asked ? 'Look for another word, or among what is archived.' : 'Write a letter here, or save one from a flow while you write it.'}
        </Empty>
      ) : (
        <ul className="grid grid-cols-[repeat(auto-fill,minmax(230px,1fr))] gap-5">
          {shown.map((one) => {
            const letter = letterOfItem(one);
            const flows = [...new Set(one.uses.map(({ name }) => name))];
            return (
              <li key={one.key} className="grid content-start gap-2">
                <Link href={`/messages/${one.key}`} className="grid gap-2" aria-label={one.name}>
                  {letter ? (
                    <Thumb message={letter} width={230} height={260} title={one.name} />
                  ) : (
                    <Small message={one.message!} width={230} height={260} title={one.name} />
                  )}
                  <span className="truncate font-semibold" title={one.name}>
                    {one.name}
                  </span>
                </Link>
                <p className="text-xs text-soft">
                  {one.kind === 'blocks' && <>Part of a letter · </>}
                  {flows.length
                    ? `in ${flows.join(', ')}`
                    : one.kind === 'message'
                      ? 'in no flow'
                      : `changed ${sayDate(one.changedAt, zone)}`}
                </p>
                <p className="flex flex-wrap gap-1">
                  {one.isArchived && <Label>archived</Label>}
                  {one.tags.map((tag) => (
                    <Label key={tag}>{tag}</Label>
                  ))}
                </p>
              </li>
            );
          })}
        </ul>
      )}
      {isReplacing && <Replace onClose={() => setReplacing(false)} />}
    </Page>
  );
}

/** Puts other words in the place of some, wherever they stand: first shows where, then does it. */
function Replace({ onClose }: { onClose: () => void }) {
  const client = useQueryClient();
  const [find, setFind] = useState('');
  const [put, setPut] = useState('');
  const [found, setFound] = useState<ReplaceView | null>(null);
  const [without, setWithout] = useState<ReadonlySet<string>>(new Set());
  const ask = (isTrial: boolean) =>
    api<ReplaceView>('/messages/replace', { method: 'POST', body: { find, put, isTrial, without: [...without] } });
  const look = () =>
    attempt(async () => {
      setWithout(new Set());
      setFound(await api<ReplaceView>('/messages/replace', { method: 'POST', body: { find, put, isTrial: true } }));
    });
  const many = (found?.places.length ?? 0) - without.size;
  return (
    <Dialog
      isOpen
      onClose={onClose}
      width={720}
      title="Find and replace"
      about="In the library and in the drafts of flows. What is on goes out as it is until its flow is published."
    >
      <form
        className="grid gap-4"
        onSubmit={(event) => {
          event.preventDefault();
          void look();
        }}
      >
        <div className="grid grid-cols-2 gap-3">
          <Field label="Find">
            <input
              autoFocus
              value={find}
              maxLength={500}
              onChange={(event) => (setFind(event.target.value), setFound(null))}
              className={inputClass}
            />
          </Field>
          <Field label="Put in its place">
            <input value={put} maxLength={500} onChange={(event) => (setPut(event.target.value), setFound(null))} className={inputClass} />
          </Field>
        </div>
        {found && !found.places.length && <p>It stands nowhere.</p>}
        {found && found.places.length > 0 && (
          <ul className="grid max-h-[320px] gap-2 overflow-y-auto" aria-label="Where it stands">
            {found.places.map((one) => (
              <li key={one.id} className="flex gap-2 border-b border-line pb-2">
                <input
                  type="checkbox"
                  aria-label={one.where}
                  className="mt-1"
                  checked={!without.has(one.id)}
                  onChange={(event) => {
                    const next = new Set(without);
                    if (event.target.checked) next.delete(one.id);
                    else next.add(one.id);
                    setWithout(next);
                  }}
                />
                <div className="min-w-0">
                  <b>{one.where}</b>
                  {one.times > 1 && <span className="text-soft"> · {one.times} times</span>}
                  <p className="break-words text-xs text-soft line-through">{one.was}</p>
                  <p className="break-words text-xs">{one.is}</p>
                </div>
              </li>
            ))}
          </ul>
        )}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button type="submit" disabled={!find}>
            Look where it stands
          </Button>
          <Button
            kind="primary"
            disabled={many < 1}
            onClick={() =>
              void attempt(
                async () => {
                  const { changed } = await ask(false);
                  await client.invalidateQueries({ queryKey: ['library'] });
                  onClose();
                  return changed;
                },
                `Replaced in ${plural(many, 'message', 'messages')}.`,
              )
            }
          >
            {many > 0 ? `Replace in ${plural(many, 'message', 'messages')}` : 'Replace'}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
