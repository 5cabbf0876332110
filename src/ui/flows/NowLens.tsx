'use client';

import { useMemo, type ReactNode } from 'react';
import type { FlowView } from '@/core/api';
import { planOf } from '@/core/flows';
import { plural, useStore } from '../kit';
import { LineMap, type MapLayer } from '../map';
import { NowPane, useInside } from './NowPane';
import type { Fold } from './PlanLens';
import { Script } from './Script';
import { Stage } from './Stage';
import type { StepActs } from './useStepActs';

const NONE: ReadonlySet<string> = new Set();

/** Who waits where at this moment, in the flow as it is on. */
export function NowLens({
  flow,
  acts,
  fold: [isFolded, setFolded],
  foot,
}: {
  flow: FlowView;
  acts: StepActs;
  fold: Fold;
  foot: ReactNode;
}) {
  const { currency } = useStore();
  const document = flow.published!;
  const inside = useInside(flow.key, true);
  const layer = useMemo((): MapLayer => {
    const { steps } = planOf(document);
    const badges = new Map<string, string>();
    for (const [id, people] of inside.counts) {
      if (!people) continue;
      const kind = steps.get(id)?.kind;
      // who waits stands on the stretch; what asks and waits has its stretch, too
      if (kind === 'wait' || kind === 'call' || kind === 'task') badges.set(`wait ${id}`, plural(people, 'waits', 'wait'));
      else badges.set(id, plural(people, 'person', 'people'));
    }
    return { height: 0, badges };
  }, [document, inside.counts]);
  return (
    <Stage
      isFolded={isFolded}
      onFold={setFolded}
      script={<Script document={document} currency={currency} acts={acts} onOpen={acts.select} troubled={NONE} />}
      map={
        <LineMap
          document={document}
          selected={acts.selected}
          chosen={NONE}
          onSelect={(id) => acts.select(id)}
          onOpen={acts.select}
          layer={layer}
          troubled={NONE}
        />
      }
      foot={foot}
      pane={<NowPane flow={flow} document={document} selected={acts.selected} inside={inside} onSelect={acts.select} />}
    />
  );
}
