'use client';

import { ChevronsLeft, ChevronsRight } from 'lucide-react';
import { useState, type ReactNode, type Ref } from 'react';

/** The three panes of the flow screen: script, map with what stands below it, and a pane at the right that folds away. */
export function Stage({
  script,
  map,
  foot,
  pane,
  paneName = 'Inspector',
  paneRef,
  isFolded,
  onFold,
}: {
  script: ReactNode;
  map: ReactNode;
  foot?: ReactNode;
  pane: ReactNode;
  paneName?: string;
  paneRef?: Ref<HTMLElement>;
  isFolded: boolean;
  onFold: (isFolded: boolean) => void;
}) {
  return (
    <div className="flex min-h-0 flex-1">
      <aside className="w-[272px] shrink-0 overflow-y-auto border-r border-line bg-panel p-3">{script}</aside>
      <div className="flex min-w-0 flex-1 flex-col bg-panel">
        <div className="min-h-0 flex-1">{map}</div>
        {foot}
      </div>
      {isFolded ? (
        <button
          type="button"
          onClick={() => onFold(false)}
          aria-label="Unfold the inspector"
          title="Unfold the inspector"
          className="grid w-8 shrink-0 place-items-center border-l border-line bg-panel hover:bg-wash"
        >
          <ChevronsLeft size={16} aria-hidden="true" />
        </button>
      ) : (
        <aside
          ref={paneRef}
          aria-label={paneName}
          className="relative w-[340px] shrink-0 overflow-y-auto border-l border-line bg-panel p-4"
        >
          <button
            type="button"
            onClick={() => onFold(true)}
            aria-label="Fold the inspector away"
            title="Fold the inspector away"
            className="absolute right-2 top-2 grid size-8 place-items-center rounded-md hover:bg-wash"
          >
            <ChevronsRight size={16} aria-hidden="true" />
          </button>
          {pane}
        </aside>
      )}
    </div>
  );
}

/** Whether the pane at the right is folded away, and the way to change that. */
export type Fold = readonly [boolean, (isFolded: boolean) => void];

/** Whether the pane at the right is folded away, for all lenses alike. */
export const useFolded = () => useState(false);
