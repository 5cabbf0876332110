'use client';

import { toast } from 'sonner';

/** How long somebody has to think again: a note that only tells something is gone sooner. */
const LONG_MS = 15_000;

/** Says that something is done, and offers to take it back. */
export const doneUndoable = (says: string, undo: () => void): void =>
  void toast.success(says, { duration: LONG_MS, action: { label: 'Undo', onClick: undo } });
