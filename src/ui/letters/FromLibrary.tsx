'use client';

import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { toast } from 'sonner';
import type { LibraryItem, LibraryView } from '@/core/api';
import { headOf, type Message } from '@/core/messages';
import { CHANNEL_WORDS } from '@/core/rules';
import { api, Button, Dialog, Empty, inputClass, Menu } from '../kit';
import { SaveToLibrary } from './Dialogs';
import { Thumb } from './Thumb';

/** What a letter has to do with the library: it is saved there, made of another, and offered what has changed in its original. */
export function FromLibrary<M extends Message>({
  message,
  name,
  onChange,
}: {
  message: M;
  name: string;
  onChange: (message: M, tag: string) => void;
}) {
  const thing = message.channel === 'email' ? 'letter' : 'message';
  const [open, setOpen] = useState<'save' | 'take' | 'update' | null>(null);
  const origin = useQuery({
    queryKey: ['library', 'one', message.from?.key],
    queryFn: () => api<LibraryView>(`/messages/${message.from!.key}`),
    enabled: message.from !== undefined,
    retry: false,
    staleTime: 30_000,
  });
  const newer = origin.data && message.from && origin.data.revision > message.from.revision ? origin.data : null;
  return (
    <>
      {newer && (
        <button type="button" onClick={() => setOpen('update')} className="min-h-8 text-caution underline">
          Its original has changed
        </button>
      )}
      <Menu
        align="start"
        groups={[
          [
            { name: `Take a ${thing} from the library…`, onSelect: () => setOpen('take') },
            { name: 'Save this to the library…', onSelect: () => setOpen('save') },
          ],
        ]}
      >
        <Button>Library</Button>
      </Menu>
      {open === 'save' && (
        <SaveToLibrary
          content={{ message }}
          name={name}
          about="It can be put into other flows from there; when it changes there, this one is offered the update."
          onClose={() => setOpen(null)}
          onSaved={(key, revision) => {
            onChange({ ...message, from: { key, revision } }, '');
            setOpen(null);
          }}
        />
      )}
      {open === 'take' && (
        <TakeMessage
          channel={message.channel}
          onClose={() => setOpen(null)}
          onTake={(item) => {
            onChange(takenFrom(item, message), '');
            setOpen(null);
            toast.success(`“${item.name}” stands here now. It can be undone.`);
          }}
        />
      )}
      {open === 'update' && newer?.message?.channel === message.channel && (
        <Dialog
          isOpen
          onClose={() => setOpen(null)}
          width={760}
          title={`“${newer.name}” has changed`}
          about={`This ${thing} was made of revision ${message.from!.revision}; the library holds revision ${newer.revision}, by ${newer.changedBy}.`}
        >
          <div className="grid grid-cols-2 gap-4">
            <figure className="grid gap-1">
              <figcaption className="font-semibold">Here</figcaption>
              <Small message={message} width={340} height={400} title={`The ${thing} as it is here`} />
            </figure>
            <figure className="grid gap-1">
              <figcaption className="font-semibold">In the library</figcaption>
              <Small message={newer.message} width={340} height={400} title={`The ${thing} as it is in the library`} />
            </figure>
          </div>
          <div className="flex justify-end gap-2">
            <Button
              onClick={() => {
                onChange({ ...message, from: { key: newer.key, revision: newer.revision } }, '');
                setOpen(null);
              }}
            >
              Keep what is here
            </Button>
            <Button
              kind="primary"
              onClick={() => {
                onChange(takenFrom(newer, message), '');
                setOpen(null);
              }}
            >
              Take the library’s
            </Button>
          </div>
        </Dialog>
      )}
    </>
  );
}

/** A message of the library as it stands in a flow: its own kind and topic stay. */
function takenFrom<M extends Message>(item: LibraryItem, here: M): M {
  const { kind, topic } = here;
  const { topic: _, ...message } = item.message as M;
  return { ...message, kind, ...(topic !== undefined && { topic }), from: { key: item.key, revision: item.revision } } as M;
}

/** A message made small: a letter as a picture of itself, another by its words. */
export function Small({ message, width, height, title }: { message: Message; width: number; height: number; title: string }) {
  if (message.channel === 'email')
    return (
      <>
        <p className="truncate text-soft" style={{ maxWidth: width }} title={message.subject}>
          {message.subject}
        </p>
        <Thumb message={message} width={width} height={height} title={title} />
      </>
    );
  return (
    <div className="overflow-hidden rounded-md border border-line bg-panel p-4" style={{ width, height }} title={title}>
      <p className="mb-2 text-xs text-soft">{CHANNEL_WORDS[message.channel].name}</p>
      {message.channel === 'push' && <p className="font-semibold">{headOf(message)}</p>}
      <p className="whitespace-pre-wrap break-words">{message.text}</p>
    </div>
  );
}

function TakeMessage({
  channel,
  onClose,
  onTake,
}: {
  channel: Message['channel'];
  onClose: () => void;
  onTake: (item: LibraryItem) => void;
}) {
  const thing = channel === 'email' ? 'letter' : 'message';
  const [words, setWords] = useState('');
  const { data, error } = useQuery({
    queryKey: ['library', 'message'],
    queryFn: () => api<{ items: LibraryItem[] }>('/messages?kind=message'),
    staleTime: 10_000,
  });
  const asked = words.trim().toLowerCase();
  const shown = data?.items.filter(
    (one) =>
      !one.isArchived &&
      one.message?.channel === channel &&
      (!asked || [one.name, ...one.tags].some((text) => text.toLowerCase().includes(asked))),
  );
  return (
    <Dialog
      isOpen
      onClose={onClose}
      width={760}
      title={`Take a ${thing} from the library`}
      about={`A copy of it stands in place of this ${thing}. It can be undone.`}
    >
      <input
        type="search"
        autoFocus
        aria-label="Search the library"
        placeholder="Name or tag"
        value={words}
        onChange={(event) => setWords(event.target.value)}
        className={inputClass}
      />
      {error && (
        <p role="alert" className="text-stop">
          {error.message}
        </p>
      )}
      {shown && !shown.length && (
        <Empty title={asked ? 'Nothing by these words' : `No ${thing} for ${CHANNEL_WORDS[channel].name} is in the library yet`} />
      )}
      <ul className="grid grid-cols-3 gap-4">
        {shown?.map((one) => (
          <li key={one.key}>
            <button type="button" className="grid w-full gap-1 text-left" onClick={() => onTake(one)}>
              <Small message={one.message!} width={215} height={220} title={one.name} />
              <span className="truncate font-semibold" title={one.name}>
                {one.name}
              </span>
            </button>
          </li>
        ))}
      </ul>
    </Dialog>
  );
}
