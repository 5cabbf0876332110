'use client';

import { Upload as Sign } from 'lucide-react';
import { useRef, useState } from 'react';
import { toast } from 'sonner';
import { Button } from '../kit';

/** Keeps a file of somebody's own; hands on the key under which it is kept. */
export function Upload({
  label,
  words,
  accept,
  onDone,
}: {
  label: string;
  words: string;
  accept?: string;
  onDone: (key: string, name: string) => void;
}) {
  const field = useRef<HTMLInputElement>(null);
  const [isBusy, setBusy] = useState(false);
  const upload = async (file: File) => {
    setBusy(true);
    try {
      const answer = await fetch(`/api/v1/files?name=${encodeURIComponent(file.name)}`, {
        method: 'POST',
        headers: { 'content-type': 'application/octet-stream' },
        body: file,
      });
      const said = (await answer.json()) as { key?: string; detail?: string; title?: string };
      if (!answer.ok || !said.key) throw new Error(said.detail ?? said.title ?? 'The file could not be kept.');
      onDone(said.key, file.name);
    } catch (error) {
      toast.error((error as Error).message);
    } finally {
      setBusy(false);
    }
  };
  return (
    <div>
      <Button changes="/files" onClick={() => field.current?.click()} disabled={isBusy}>
        <Sign size={16} aria-hidden="true" /> {isBusy ? 'Uploading…' : words}
      </Button>
      <input
        ref={field}
        type="file"
        accept={accept}
        aria-label={label}
        className="sr-only"
        tabIndex={-1}
        onChange={(event) => {
          const [file] = event.target.files ?? [];
          if (file) void upload(file);
          event.target.value = '';
        }}
      />
    </div>
  );
}
