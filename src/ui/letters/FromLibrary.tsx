'use client';

import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { toast } from 'sonner';
import type { LibraryItem, LibraryView } from '@/core/api';
import type { Email } from '@/core/messages';
import { api, Button, Dialog, Empty, inputClass, Menu } from '../kit';
import { SaveToLibrary } from './Dialogs';
import { Thumb } from './Thumb';

/** What a letter has to do with the library: it is saved there, made of another, and offered what has changed in its original. */
export function FromLibrary({
  message,
  name,
  onChange,
}: {
  message: Email;
  name: string;
  onChange: (message: Email, tag: string) => void;
}) {
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
            { name: 'Take a letter from the library…', onSelect: () => setOpen('take') },
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
        <TakeLetter
          onClose={() => setOpen(null)}
          onTake={(item) => {
            onChange(takenFrom(item, message), '');
            setOpen(null);
            toast.success(`“${item.name}” stands here now. It can be undone.`);
          }}
        />
      )}
      {open === 'update' && newer?.message?.channel === 'email' && (
        <Dialog
          isOpen
          onClose={() => setOpen(null)}
          width={760}
          title={`“${newer.name}” has changed`}
          about={`This letter was made of revision ${message.from!.revision}; the library holds revision ${newer.revision}, by ${newer.changedBy}.`}
        >
          <div className="grid grid-cols-2 gap-4">
            <figure className="grid gap-1">
              <figcaption className="font-semibold">Here</figcaption>
              <p className="truncate text-soft" title={message.subject}>
                {message.subject}
              </p>
              <Thumb message={message} width={340} height={400} title="The letter as it is here" />
            </figure>
            <figure className="grid gap-1">
              <figcaption className="font-semibold">In the library</figcaption>
              <p className="truncate text-soft" title={newer.message.subject}>
                {newer.message.subject}
              </p>
              <Thumb message={newer.message} width={340} height={400} title="The letter as it is in the library" />
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

/** A letter of the library as it stands in a flow: its own kind and topic stay. */
function takenFrom(item: LibraryItem, here: Email): Email {
  const { kind, topic } = here;
  const { topic: _, ...letter } = item.message as Email;
  return { ...letter, kind, ...(topic !== undefined && { topic }), from: { key: item.key, revision: item.revision } };
}

function TakeLetter({ onClose, onTake }: { onClose: () => void; onTake: (item: LibraryItem) => void }) {
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
      one.message?.channel === 'email' &&
      (!asked || [one.name, ...one.tags].some((text) => text.toLowerCase().includes(asked))),
  );
  return (
    <Dialog
      isOpen
      onClose={onClose}
      width={760}
      title="Take a letter from the library"
      about="A copy of it stands in place of this letter. It can be undone."
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
      {shown && !shown.length && <Empty title={asked ? 'Nothing by these words' : 'No letter is in the library yet'} />}
      <ul className="grid grid-cols-3 gap-4">
        {shown?.map((one) => (
          <li key={one.key}>
            <button type="button" className="grid w-full gap-1 text-left" onClick={() => onTake(one)}>
              <Thumb message={one.message as Email} width={215} height={220} title={one.name} />
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
