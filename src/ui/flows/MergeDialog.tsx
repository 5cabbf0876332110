'use client';

import { useMemo, useState } from 'react';
import { partsBetween, takeOver, untouched, type FlowDocument } from '@/core/flows';
import { Button, Dialog, plural } from '../kit';

/** Two drafts that have gone apart: each part in which they differ, to be taken over or left. What only one of the two has changed is chosen beforehand. */
export function MergeDialog({
  base,
  mine,
  theirs,
  who,
  onClose,
  onMerged,
}: {
  /** the draft as it was when both were the same */
  base: FlowDocument;
  mine: FlowDocument;
  theirs: FlowDocument;
  who: string;
  onClose: () => void;
  onMerged: (merged: FlowDocument) => void;
}) {
  const parts = useMemo(() => partsBetween(mine, theirs), [mine, theirs]);
  const [taken, setTaken] = useState(() => untouched(base, mine, theirs));
  const toggle = (id: string) => {
    const next = new Set(taken);
    if (!next.delete(id)) next.add(id);
    setTaken(next);
  };
  return (
    <Dialog
      isOpen
      onClose={onClose}
      title={`${who} has changed this draft, too`}
      about="Choose part by part. What only one of you has changed is chosen already; nothing is stored before you keep it."
      width={620}
    >
      <table className="w-full">
        <thead>
          <tr className="text-xs text-soft">
            <th className="text-left font-normal">{plural(parts.length, 'part differs', 'parts differ')}</th>
            <th className="w-24 font-normal">yours</th>
            <th className="w-24 font-normal">theirs</th>
          </tr>
        </thead>
        <tbody>
          {parts.map(({ id, says }) => (
            <tr key={id} className="border-t border-line">
              <th scope="row" className="py-1 text-left font-normal">
                {says}
              </th>
              {[false, true].map((isTheirs) => (
                <td key={String(isTheirs)} className="text-center">
                  <input
                    type="radio"
                    name={id}
                    aria-label={`${says}: ${isTheirs ? 'theirs' : 'yours'}`}
                    checked={taken.has(id) === isTheirs}
                    onChange={() => toggle(id)}
                  />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <div className="flex justify-end gap-2">
        <Button onClick={() => setTaken(new Set(parts.map(({ id }) => id)))}>All of theirs</Button>
        <Button onClick={() => setTaken(new Set())}>All of yours</Button>
        <div className="flex-1" />
        <Button onClick={onClose}>Cancel</Button>
        <Button kind="primary" onClick={() => onMerged(takeOver(mine, theirs, taken))}>
          Keep this
        </Button>
      </div>
    </Dialog>
  );
}
