'use client';

import { useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { toast } from 'sonner';
import { slugOf } from '@/core/text';
import type { Block, Email, Message } from '@/core/messages';
import { api, Button, Dialog, Field, inputClass, WordList } from '../kit';

const KEPT_AT = 'viatic.test-addresses';
const kept = (): string => {
  try {
    return localStorage.getItem(KEPT_AT) ?? '';
  } catch {
    return '';
  }
};

/** Sends the letter to oneself or to colleagues, as the person chosen would get it. */
export function TestDialog({
  message,
  person,
  event,
  onClose,
  onSent,
}: {
  message: Email;
  person: string;
  event: string | null;
  onClose: () => void;
  onSent: (many: number) => void;
}) {
  const [to, setTo] = useState(kept);
  const [problem, setProblem] = useState<string | null>(null);
  const [isBusy, setBusy] = useState(false);
  const send = async () => {
    const addresses = to.split(/[\s,;]+/).filter(Boolean);
    setBusy(true);
    setProblem(null);
    try {
      const { sent } = await api<{ sent: number }>('/messages/test', {
        method: 'POST',
        body: { message, to: addresses, ...(person && { person }), ...(event !== null && person && { event }) },
      });
      try {
        localStorage.setItem(KEPT_AT, to);
      } catch {
        // it is typed again the next time
      }
      onSent(sent);
    } catch (error) {
      setProblem((error as Error).message);
    } finally {
      setBusy(false);
    }
  };
  return (
    <Dialog
      isOpen
      onClose={onClose}
      title="Send a test"
      about="As the person chosen would get it. Its subject begins with [Test], and it counts nowhere."
    >
      <form
        className="grid gap-4"
        onSubmit={(submit) => {
          submit.preventDefault();
          void send();
        }}
      >
        <Field label="To" hint="Up to ten addresses, with spaces or commas between" problem={problem}>
          <input
            autoFocus
            value={to}
            onChange={(change) => setTo(change.target.value)}
            className={inputClass}
            placeholder="you@example.com"
          />
        </Field>
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button kind="primary" type="submit" disabled={isBusy || !to.trim()}>
            {isBusy ? 'Sending…' : 'Send'}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

/** Keeps a letter, or a part of one, in the library under a name and tags. */
export function SaveToLibrary({
  content,
  name: first,
  about,
  onClose,
  onSaved,
}: {
  content: { readonly message: Message } | { readonly blocks: readonly Block[] };
  name: string;
  about: string;
  onClose: () => void;
  onSaved: (key: string, revision: number) => void;
}) {
  const client = useQueryClient();
  const [name, setName] = useState(first);
  const [tags, setTags] = useState<string[]>([]);
  const [problem, setProblem] = useState<string | null>(null);
  const save = async () => {
    try {
      const key = keyFor(name);
      const { revision } = await api<{ revision: number }>(`/messages/${key}`, { method: 'PUT', body: { name, tags, ...content } });
      await client.invalidateQueries({ queryKey: ['library'] });
      toast.success('It is in the library.');
      onSaved(key, revision);
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  return (
    <Dialog isOpen onClose={onClose} title="Save to the library" about={about}>
      <form
        className="grid gap-4"
        onSubmit={(submit) => {
          submit.preventDefault();
          void save();
        }}
      >
        <Field label="Name" problem={problem}>
          <input autoFocus value={name} maxLength={120} onChange={(change) => setName(change.target.value)} className={inputClass} />
        </Field>
        <Field label="Tags" hint="With commas between">
          <WordList value={tags} onChange={setTags} />
        </Field>
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button kind="primary" type="submit" disabled={!name.trim()}>
            Save
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

/** A key for the library, made of a name. */
export const keyFor = (name: string): string => `${slugOf(name, 48) || 'letter'}-${Math.random().toString(36).slice(2, 7)}`;
