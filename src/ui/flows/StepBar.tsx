'use client';

import { Plus } from 'lucide-react';
import {
  armsOf,
  duplicateStep,
  freeId,
  freshStep,
  insertSteps,
  moveStep,
  placeOf,
  removeStep,
  STEP_KINDS,
  type FlowDocument,
  type Place,
  type Step,
} from '@/core/flows';
import { Button, Menu } from '../kit';
import type { Edit, Props } from './fields';

const OFFERS: { readonly [kind in (typeof STEP_KINDS)[number]]: string } = {
  wait: 'Wait',
  send: 'Message',
  branch: 'Branch',
  test: 'Test by lot',
  code: 'Discount code',
  update: 'Update the person',
  record: 'Record an event',
  lookup: 'Look up a row of a table',
  call: 'Call a system',
  task: 'Task for a colleague',
  note: 'Note to a colleague',
  hand: 'Hand over to a flow',
  idea: 'Idea, still a sentence',
  end: 'End',
};

/** What can be put in at a place. */
export function AddStep({
  document,
  place,
  label,
  edit,
  onAdded,
}: {
  document: FlowDocument;
  place: Place;
  label: string;
  edit: Edit;
  onAdded: (id: string) => void;
}) {
  const add = (kind: (typeof STEP_KINDS)[number]) => {
    const id = freeId(document, kind);
    edit(insertSteps(document, place, [freshStep(kind, id)]), `add.${id}`);
    onAdded(id);
  };
  return (
    <Menu align="start" groups={[STEP_KINDS.map((kind) => ({ name: OFFERS[kind], onSelect: () => add(kind) }))]}>
      <Button className="justify-self-start">
        <Plus size={16} aria-hidden="true" /> {label}
      </Button>
    </Menu>
  );
}

/** What can be done with a step as a whole. */
export function StepBar({ document, step, edit, onSelect }: Props<Step> & { onSelect: (id: string) => void }) {
  const place = placeOf(document, step.id);
  if (!place) return null;
  const move = (by: -1 | 2) => edit(moveStep(document, step.id, { ...place, index: Math.max(0, place.index + by) }), `${step.id}.move`);
  return (
    <div className="grid gap-2 border-t border-line pt-3">
      <div className="flex flex-wrap gap-2">
        <AddStep document={document} place={{ ...place, index: place.index + 1 }} label="Add after this" edit={edit} onAdded={onSelect} />
        {armsOf(step).map((arm) => (
          <AddStep
            key={arm.id}
            document={document}
            place={{ armId: arm.id, index: 0 }}
            label={`Add to “${arm.name}”`}
            edit={edit}
            onAdded={onSelect}
          />
        ))}
      </div>
      <div className="flex flex-wrap gap-2">
        <Button kind="quiet" onClick={() => move(-1)} disabled={place.index === 0}>
          Move up
        </Button>
        <Button kind="quiet" onClick={() => move(2)}>
          Move down
        </Button>
        <Button
          kind="quiet"
          onClick={() => {
            const { flow, id } = duplicateStep(document, step.id);
            edit(flow, `${step.id}.duplicate`);
            if (id) onSelect(id);
          }}
        >
          Duplicate
        </Button>
        <Button
          kind="quiet"
          onClick={() => {
            edit(removeStep(document, step.id), `${step.id}.remove`);
            onSelect('trigger');
          }}
        >
          Remove
        </Button>
      </div>
    </div>
  );
}
