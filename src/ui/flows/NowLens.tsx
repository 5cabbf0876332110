'use client';

import { useMemo, type ReactNode } from 'react';
import type { FlowView } from '@/core/api';
import { planOf } from '@/core/flows';
import { plural } from '../kit';
import { type MapLayer } from '../map';
import { NowPane, useInside } from './NowPane';
import type { Fold } from './Stage';
import type { StepActs } from './useStepActs';
import { Viewed } from './Viewed';

/** Who waits where at this moment, in the flow as it is on. */
export function NowLens({ flow, acts, fold, foot }: { flow: FlowView; acts: StepActs; fold: Fold; foot: ReactNode }) {
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
    <Viewed
      document={document}
      acts={acts}
      fold={fold}
      layer={layer}
      foot={foot}
      pane={<NowPane flow={flow} document={document} selected={acts.selected} inside={inside} onSelect={acts.select} />}
    />
  );
}
