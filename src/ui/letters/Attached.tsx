'use client';

import { useQueryClient } from '@tanstack/react-query';
import type { Email } from '@/core/messages';
import { Button, Dialog } from '../kit';
import { Upload } from './Upload';
import { sayBytes, useFiles } from './useFiles';

const MOST = 5;
const MOST_BYTES = 5_000_000;

/** The files that go with a service message: those that are kept, and others that are uploaded. */
export function Attached({
  message,
  onChange,
  onClose,
}: {
  message: Email;
  onChange: (message: Email, tag: string) => void;
  onClose: () => void;
}) {
  const client = useQueryClient();
  const { data, error } = useFiles();
  const chosen = message.attachments ?? [];
  const put = (keys: readonly string[]) => {
    const { attachments: _, ...rest } = message;
    onChange(keys.length ? { ...rest, attachments: [...keys] } : rest, '');
  };
  const sum = chosen.reduce((all, key) => all + (data?.files.find((one) => one.key === key)?.size ?? 0), 0);
  return (
    <Dialog
      isOpen
      onClose={onClose}
      title="Files that go with it"
      about="Up to five, and 5 MB in all. Only service messages carry files; marketing links to them (put in “File to fetch”)."
    >
      {error && (
        <p role="alert" className="text-stop">
          {error.message}
        </p>
      )}
      <ul className="grid max-h-72 gap-1 overflow-y-auto">
        {data?.files.map((one) => (
          <li key={one.key}>
            <label className="flex min-h-7 items-center gap-2">
              <input
                type="checkbox"
                checked={chosen.includes(one.key)}
                disabled={!chosen.includes(one.key) && chosen.length >= MOST}
                onChange={(event) => put(event.target.checked ? [...chosen, one.key] : chosen.filter((key) => key !== one.key))}
              />
              <span className="min-w-0 flex-1 truncate">{one.name}</span>
              <span className="text-xs text-soft tabular">{sayBytes(one.size)}</span>
            </label>
          </li>
        ))}
        {data && !data.files.length && <li className="text-soft">No file is kept yet.</li>}
      </ul>
      {sum > MOST_BYTES && (
        <p role="alert" className="text-stop">
          Together they have {sayBytes(sum)}: it would not go out.
        </p>
      )}
      <div className="flex justify-between">
        <Upload
          label="File to upload"
          words="Upload a file"
          onDone={(key) => {
            void client.invalidateQueries({ queryKey: ['files'] });
            if (chosen.length < MOST) put([...chosen, key]);
          }}
        />
        <Button kind="primary" onClick={onClose}>
          Done
        </Button>
      </div>
    </Dialog>
  );
}
