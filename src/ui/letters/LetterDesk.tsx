'use client';

import { ArrowLeft } from 'lucide-react';
import { useCallback, useState } from 'react';
import { createPortal } from 'react-dom';
import type { TellingPerson } from '@/core/api';
import type { Email } from '@/core/messages';
import { attempt, Button } from '../kit';
import { Composer } from './Composer';

/** The desk on the whole screen, for a letter that stands in no flow: it is written, then handed on by one act, or left as it was. */
export function LetterDesk({
  title,
  letter,
  given,
  reader,
  act,
  canAct = true,
  onAct,
  onClose,
}: {
  title: string;
  letter: Email;
  /** what is put in for each reader beside what is known of them, as it is shown here */
  given?: { readonly [name: string]: string };
  /** the one person whom it goes to */
  reader?: TellingPerson;
  act: string;
  canAct?: boolean;
  onAct: (letter: Email) => Promise<void> | void;
  onClose: () => void;
}) {
  const [written, setWritten] = useState(letter);
  const [isBusy, setBusy] = useState(false);
  const write = useCallback((next: Email) => setWritten(next), []);
  const leave = () => {
    if (written === letter || window.confirm('What you wrote is not kept. Leave it?')) onClose();
  };
  return createPortal(
    <div role="dialog" aria-modal="true" aria-label={title} className="fixed inset-0 z-50 flex flex-col bg-panel">
      <Composer
        message={written}
        startedBy={null}
        hasOffer={false}
        given={given}
        reader={reader}
        onChange={write}
        strip={
          <>
            <Button onClick={leave}>
              <ArrowLeft size={16} aria-hidden="true" /> Cancel
            </Button>
            <h2 className="max-w-[360px] truncate px-1 font-semibold" title={title}>
              {title}
            </h2>
          </>
        }
        acts={
          <Button
            kind="primary"
            disabled={isBusy || !canAct}
            onClick={() => {
              setBusy(true);
              void attempt(async () => {
                await onAct(written);
              }).finally(() => setBusy(false));
            }}
          >
            {act}
          </Button>
        }
      />
    </div>,
    document.body,
  );
}
