'use client';

import { useQuery, useQueryClient } from '@tanstack/react-query';
import { useRouter } from 'next/navigation';
import { useCallback, useState } from 'react';
import type { LibraryView } from '@/core/api';
import { messageSchema, type Block, type Email, type Message } from '@/core/messages';
import { CardButton } from '../cards';
import {
  api,
  attempt,
  Button,
  Dialog,
  doneUndoable,
  Empty,
  Failed,
  inputClass,
  issuesOf,
  Link,
  Menu,
  Page,
  SavingNote,
  sayMoment,
  UndoActs,
  useDraft,
  useStore,
  WordList,
} from '../kit';
import { Comments } from '../comments';
import { AsSomebody } from './AsSomebody';
import { Composer } from './Composer';
import { keyFor } from './Dialogs';
import { letterOfItem } from './LibraryScreen';
import { PushFields, SmsFields } from './TextFields';
import { Small } from './FromLibrary';

/** Something of the library, written at the desk. */
export function MessageScreen({ id }: { id: string }) {
  const { data, error, refetch } = useQuery({
    queryKey: ['library', 'one', id],
    queryFn: () => api<LibraryView>(`/messages/${encodeURIComponent(id)}`),
    refetchOnWindowFocus: false,
  });
  if (error)
    return (
      <Page title="Message" back={{ href: '/messages', name: 'The library' }}>
        <Failed error={error} retry={() => void refetch()} />
      </Page>
    );
  if (!data) return <Empty title="Loading…" />;
  return <Writing key={`${data.key}`} first={data} />;
}

interface Written {
  readonly name: string;
  readonly tags: readonly string[];
  readonly message: Message;
}

const writtenOf = (view: LibraryView): Written => ({
  name: view.name,
  tags: view.tags,
  message: view.message ?? letterOfItem(view)!,
});

function Writing({ first }: { first: LibraryView }) {
  const client = useQueryClient();
  const router = useRouter();
  const { zone } = useStore();
  const [view, setView] = useState(first);
  const [isHistory, setHistory] = useState(false);
  const isBlocks = first.kind === 'blocks';
  const bodyOf = ({ name, tags, message }: Written) =>
    isBlocks ? { name, tags, blocks: (message as Email).blocks } : { name, tags, message };
  const draft = useDraft<Written, LibraryView>({
    place: `/messages/${first.key}`,
    document: writtenOf(first),
    revision: first.revision,
    put: (written, revision) =>
      api<LibraryView>(`/messages/${first.key}`, { method: 'PUT', body: bodyOf(written), headers: { 'if-match': `"${revision}"` } }),
    problemsOf: ({ name, message }) => [
      ...(name.trim() ? [] : [{ path: 'name', message: 'must not be empty' }]),
      ...issuesOf(messageSchema.safeParse(message)),
    ],
    onSaved: setView,
  });
  const { document } = draft;
  const write = useCallback((message: Message, tag: string) => draft.edit({ ...draft.document, message }, tag), [draft]);
  const archive = (isArchived: boolean) =>
    attempt(async () => {
      await (isArchived ? api(`/messages/${first.key}`, { method: 'DELETE' }) : api(`/messages/${first.key}/restore`, { method: 'POST' }));
      await client.invalidateQueries({ queryKey: ['library'] });
      setView({ ...view, isArchived });
      if (isArchived) doneUndoable('Archived. What was put into flows stays.', () => void archive(false));
    });
  const double = () =>
    attempt(async () => {
      const key = keyFor(document.name);
      await api(`/messages/${key}`, { method: 'PUT', body: bodyOf({ ...document, name: `${document.name} (copy)`.slice(0, 120) }) });
      await client.invalidateQueries({ queryKey: ['library'] });
      router.push(`/messages/${key}`);
    });
  const reload = async () => {
    const now = await api<LibraryView>(`/messages/${first.key}`);
    setView(now);
    draft.load(writtenOf(now), now.revision);
  };
  const strip = (
    <>
      <Link href="/messages" className="text-accent">
        Library
      </Link>
      <h1 className="sr-only">{document.name}</h1>
      <input
        aria-label="Name"
        value={document.name}
        maxLength={120}
        onChange={(event) => draft.edit({ ...document, name: event.target.value }, 'name')}
        className={`${inputClass} max-w-[260px] font-semibold`}
      />
      <WordList
        aria-label="Tags, with commas between"
        placeholder="Tags"
        value={document.tags}
        onChange={(tags) => draft.edit({ ...document, tags }, 'tags')}
        className={`${inputClass} max-w-[180px]`}
      />
      {view.uses.length > 0 && (
        <span className="truncate text-xs text-soft">
          in{' '}
          {view.uses.map((use, index) => (
            <span key={use.flow + use.step}>
              {index > 0 && ', '}
              <Link href={`/flows/${use.flow}`} className="text-accent underline">
                {use.name}
              </Link>
            </span>
          ))}
        </span>
      )}
    </>
  );
  const acts = (
    <>
      <SavingNote saving={draft.saving} saved="Saved" onReload={() => void reload()} onRetry={() => void draft.save()} />
      <UndoActs draft={draft} />
      <CardButton kind="message" of={first.key} />
      <Comments kind="message" of={first.key} />
      <Menu
        groups={[
          [
            { name: 'Revisions…', onSelect: () => setHistory(true) },
            { name: 'Duplicate', changes: '/messages', onSelect: () => void double() },
          ],
          [
            view.isArchived
              ? { name: 'Restore', changes: '/messages', onSelect: () => void archive(false) }
              : { name: 'Archive', changes: '/messages', takes: true, onSelect: () => void archive(true) },
          ],
        ]}
      >
        <Button>More</Button>
      </Menu>
    </>
  );
  return (
    <div className="flex h-[calc(100vh-86px-var(--note,0px))] flex-col">
      {document.message.channel === 'email' ? (
        <Composer message={document.message} startedBy={null} onChange={write} strip={strip} acts={acts} />
      ) : (
        <>
          <div className="flex items-center gap-3 border-b border-line bg-panel px-4 py-2">
            {strip}
            <div className="flex-1" />
            {acts}
          </div>
          <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,520px)_minmax(0,420px)] content-start gap-12 overflow-y-auto p-6">
            <section aria-label="As it is written" className="grid content-start gap-3">
              {document.message.channel === 'sms' ? (
                <SmsFields message={document.message} put={write} />
              ) : (
                <PushFields message={document.message} put={write} />
              )}
              <p className="text-xs text-soft">
                A value of the person is put in as <code className="font-mono">{'{{ person.firstName | fallback: "there" }}'}</code>.
              </p>
            </section>
            <section aria-label="As somebody gets it" className="grid content-start gap-3">
              <h2 className="font-semibold">As somebody gets it</h2>
              <AsSomebody message={document.message} startedBy={null} />
            </section>
          </div>
        </>
      )}
      {isHistory && (
        <Dialog
          isOpen
          onClose={() => setHistory(false)}
          title="Revisions"
          about="What was stored, the newest first. Restoring makes a new one."
          width={640}
        >
          <ul className="grid gap-3">
            {view.versions.map((one) => (
              <li key={one.revision} className="flex items-start gap-4 border-b border-line pb-3">
                <RevisionThumb id={first.key} revision={one.revision} isBlocks={isBlocks} />
                <div className="grid gap-1">
                  <b>{one.name}</b>
                  <span className="text-xs text-soft">
                    {sayMoment(one.at, zone)}, {one.by}
                  </span>
                  {one.revision === view.revision ? (
                    <span className="text-xs">as it is now</span>
                  ) : (
                    <Button
                      changes="/messages"
                      onClick={() =>
                        void attempt(async () => {
                          const was = await revision(first.key, one.revision, isBlocks);
                          draft.edit({ ...document, name: one.name, message: was }, '');
                          setHistory(false);
                        }, 'Restored. It can be undone.')
                      }
                    >
                      Restore
                    </Button>
                  )}
                </div>
              </li>
            ))}
          </ul>
        </Dialog>
      )}
    </div>
  );
}

async function revision(key: string, number: number, isBlocks: boolean): Promise<Message> {
  const { document } = await api<{ document: Message | { blocks: Block[] } }>(`/messages/${key}/revisions/${number}`);
  return isBlocks
    ? {
        schema: 'viatic.message/1',
        channel: 'email',
        kind: 'service',
        subject: '',
        preview: '',
        blocks: (document as { blocks: Block[] }).blocks,
      }
    : (document as Message);
}

function RevisionThumb({ id, revision: number, isBlocks }: { id: string; revision: number; isBlocks: boolean }) {
  const { data } = useQuery({
    queryKey: ['library', 'revision', id, number],
    queryFn: () => revision(id, number, isBlocks),
    staleTime: Infinity,
  });
  return data ? <Small message={data} width={110} height={130} title={`Revision ${number}`} /> : <div className="h-[130px] w-[110px]" />;
}
