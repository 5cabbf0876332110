'use client';

import { Redo2, Undo2 } from 'lucide-react';
import { Button } from './form';

/** Undo and redo of a document's history; the keys for them are the history's own. */
export function UndoActs({
  draft,
}: {
  draft: { readonly canUndo: boolean; readonly canRedo: boolean; readonly undo: () => void; readonly redo: () => void };
}) {
  return (
    <span className="flex gap-1">
      <Button kind="quiet" aria-label="Undo" title="Undo (Ctrl+Z)" disabled={!draft.canUndo} onClick={draft.undo} className="px-2">
        <Undo2 size={16} aria-hidden="true" />
      </Button>
      <Button kind="quiet" aria-label="Redo" title="Redo (Ctrl+Shift+Z)" disabled={!draft.canRedo} onClick={draft.redo} className="px-2">
        <Redo2 size={16} aria-hidden="true" />
      </Button>
    </span>
  );
}
