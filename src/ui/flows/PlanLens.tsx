'use client';

import { useQuery } from '@tanstack/react-query';
import { Popover } from 'radix-ui';
import { useDeferredValue, useMemo, useRef, useState, type ReactNode } from 'react';
import type { FlowReport, TableItem } from '@/core/api';
import { answersIn, preflight, sayStep, type Change, type FlowDocument, type Step } from '@/core/flows';
import { api, useStore } from '../kit';
import { LineMap, putAt, type Spot } from '../map';
import { AnswersContext } from '../rules';
import { AddWords } from './AddWords';
import type { Edit } from './fields';
import { Inspector } from './Inspector';
import { Script } from './Script';
import { Stage, type Fold } from './Stage';
import type { StepActs } from './useStepActs';

/** Steps of which something comes, for the rules of the flow: of a row that is looked up its columns are known. */
const answersOf = (document: FlowDocument, tables: readonly TableItem[] = []) =>
  answersIn(document).map((step) => {
    const table = step.kind === 'lookup' ? tables.find(({ key }) => key === step.table) : undefined;
    return { step: step.id, says: sayStep(step), ...(table && { properties: table.columns }) };
  });

/** A flow while it is edited: everything on the map, in the script and in the inspector changes the same draft. */
export function PlanLens({
  document,
  edit,
  acts,
  fold: [isFolded, setFolded],
  foot,
  report,
  changes,
}: {
  document: FlowDocument;
  edit: Edit;
  acts: StepActs;
  fold: Fold;
  foot: ReactNode;
  report: FlowReport | undefined;
  /** what publishing would change; of a flow that was never on nothing is marked */
  changes: readonly Change[];
}) {
  const store = useStore();
  const inspector = useRef<HTMLElement>(null);
  const [adding, setAdding] = useState<(Pick<Spot, 'place' | 'part'> & { at: { x: number; y: number } }) | null>(null);
  // what is wrong is looked for when there is time: neither the first look at a flow nor typing waits for it
  const settled = useDeferredValue<FlowDocument | null>(document, null);
  const troubled = useMemo(
    () => new Set(settled ? preflight(settled).flatMap((finding) => (finding.accepted === undefined ? (finding.stepId ?? []) : [])) : []),
    [settled],
  );
  const tables = useQuery({
    queryKey: ['tables'],
    queryFn: () => api<{ tables: TableItem[] }>('/tables'),
    enabled: answersIn(document).some(({ kind }) => kind === 'lookup'),
    staleTime: 60_000,
  });
  const answers = useMemo(() => answersOf(document, tables.data?.tables), [document, tables.data]);
  const changed = useMemo(() => new Set(changes.flatMap(({ stepId }) => stepId ?? [])), [changes]);
  const chosen = useMemo(() => new Set(acts.chosen.length > 1 ? acts.chosen : []), [acts.chosen]);
  const open = (id: string) => {
    acts.select(id);
    setFolded(false);
    setTimeout(() => inspector.current?.querySelector<HTMLElement>('input, textarea, select')?.focus());
  };
  const add = (step: Step) => {
    if (!adding) return;
    edit(putAt(document, adding, [step]), `add.${step.id}`);
    acts.select(step.id);
    acts.follow('map', step.id);
    setAdding(null);
  };
  return (
    <div className="contents" {...acts.clipboard}>
      <Stage
        isFolded={isFolded}
        onFold={setFolded}
        paneRef={inspector}
        script={<Script document={document} currency={store.currency} acts={acts} onOpen={open} troubled={troubled} edit={edit} />}
        map={
          <>
            <LineMap
              document={document}
              selected={acts.selected}
              chosen={chosen}
              onSelect={(id, how) => {
                acts.select(id, how);
                setFolded(false);
              }}
              onOpen={open}
              troubled={troubled}
              changed={changed}
              editing={{
                edit: (to, tag = '') => edit(to, tag),
                onAdd: ({ place, part }, at) => setAdding({ place, part, at }),
                onKey: (event, id) => {
                  if ((event.key === 'a' || event.key === 'A') && !event.ctrlKey && !event.metaKey && !event.altKey) {
                    const box = (event.target as Element).getBoundingClientRect();
                    setAdding({ place: acts.placeAfter(), part: null, at: { x: box.left + box.width / 2, y: box.bottom } });
                    return true;
                  }
                  return acts.chosen.includes(id) && acts.onKey(event, 'map');
                },
              }}
            />
            <Popover.Root open={adding !== null} onOpenChange={(isOpen) => !isOpen && setAdding(null)}>
              {adding && (
                <Popover.Anchor virtualRef={{ current: { getBoundingClientRect: () => new DOMRect(adding.at.x, adding.at.y, 0, 0) } }} />
              )}
              <Popover.Portal>
                <Popover.Content
                  sideOffset={10}
                  aria-label="Add a step"
                  className="z-[60] w-[280px] rounded-md border border-line bg-panel p-2"
                  onCloseAutoFocus={(event) => event.preventDefault()}
                >
                  <AddWords
                    document={document}
                    onPick={add}
                    onCancel={() => {
                      setAdding(null);
                      acts.follow('map', acts.selected === 'trigger' ? 'entry' : acts.selected);
                    }}
                  />
                </Popover.Content>
              </Popover.Portal>
            </Popover.Root>
          </>
        }
        foot={foot}
        pane={
          <AnswersContext value={answers}>
            <Inspector document={document} acts={acts} edit={edit} report={report} />
          </AnswersContext>
        }
      />
    </div>
  );
}
