'use client';

import type { ReactNode } from 'react';
import type { FlowDocument } from '@/core/flows';
import { useStore } from '../kit';
import { LineMap, type MapLayer } from '../map';
import { Script } from './Script';
import { Stage, type Fold } from './Stage';
import type { StepActs } from './useStepActs';

const NONE: ReadonlySet<string> = new Set();

/** A flow that is looked at through a lens and not edited: script and map, what the lens shows over them, and its pane. */
export function Viewed({
  document,
  acts,
  fold: [isFolded, setFolded],
  layer,
  marked = NONE,
  name,
  foot,
  pane,
}: {
  document: FlowDocument;
  acts: StepActs;
  fold: Fold;
  layer?: MapLayer;
  /** steps that are marked on the map */
  marked?: ReadonlySet<string>;
  /** what the pane at the right is called */
  name?: string;
  foot?: ReactNode;
  pane: ReactNode;
}) {
  const { currency } = useStore();
  return (
    <Stage
      isFolded={isFolded}
      onFold={setFolded}
      {...(name !== undefined && { paneName: name })}
      script={<Script document={document} currency={currency} acts={acts} onOpen={acts.select} troubled={NONE} />}
      map={
        <LineMap
          document={document}
          selected={acts.selected}
          chosen={marked}
          onSelect={(id) => acts.select(id)}
          onOpen={acts.select}
          {...(layer && { layer })}
          troubled={NONE}
        />
      }
      foot={foot}
      pane={pane}
    />
  );
}
