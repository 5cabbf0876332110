'use client';

import { useState, type ReactNode } from 'react';
import { wordsOf } from './Ask';
import { Dialog } from './Dialog';
import { Button, Field, inputClass, NumberField } from './form';

/** Something at an address that is read again and again. */
interface Read {
  readonly name: string;
  readonly url: string;
  readonly everyMinutes: number;
}

const MOST_MINUTES = 7 * 24 * 60;

/** Asks for what is read by itself: its name, its address and how often; `children` are what further is to be said of it. */
export function ReadDialog({
  title,
  about,
  width,
  read,
  least,
  usual,
  onSave,
  onClose,
  children,
}: {
  title: string;
  about: string;
  width?: number;
  /** as it stands; null where it is new */
  read: Read | null;
  /** minutes, at the least and where nothing is said */
  least: number;
  usual: number;
  onSave: (read: Read) => Promise<unknown>;
  onClose: () => void;
  children?: ReactNode;
}) {
  const [name, setName] = useState(read?.name ?? '');
  const [url, setUrl] = useState(read?.url ?? '');
  const [everyMinutes, setEvery] = useState(read?.everyMinutes ?? usual);
  const [problem, setProblem] = useState<string | null>(null);
  const [isBusy, setBusy] = useState(false);
  const save = async () => {
    setBusy(true);
    setProblem(null);
    try {
      await onSave({ name, url, everyMinutes });
      onClose();
    } catch (error) {
      setProblem(wordsOf(error));
    } finally {
      setBusy(false);
    }
  };
  return (
    <Dialog isOpen onClose={onClose} title={title} about={about} {...(width && { width })}>
      <form
        className="grid gap-4"
        onSubmit={(event) => {
          event.preventDefault();
          void save();
        }}
      >
        <div className="grid grid-cols-[1fr_180px] gap-3">
          <Field label="Name">
            <input autoFocus value={name} maxLength={120} onChange={(event) => setName(event.target.value)} className={inputClass} />
          </Field>
          <Field label="Read every so many minutes">
            <NumberField
              min={least}
              max={MOST_MINUTES}
              value={everyMinutes}
              onChange={(every) => setEvery(Math.round(Math.min(MOST_MINUTES, Math.max(least, every))))}
            />
          </Field>
        </div>
        <Field label="Address" problem={problem}>
          <input
            value={url}
            maxLength={2000}
            placeholder="https://"
            onChange={(event) => setUrl(event.target.value)}
            className={`${inputClass} font-mono text-xs`}
          />
        </Field>
        {children}
        <div className="flex justify-end gap-2">
          <Button onClick={onClose}>Cancel</Button>
          <Button kind="primary" type="submit" disabled={isBusy || !name.trim() || !url.trim()}>
            {isBusy ? 'Reading…' : 'Save'}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
