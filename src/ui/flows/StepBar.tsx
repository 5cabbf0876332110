'use client';

import { Plus } from 'lucide-react';
import {
  armsOf,
  freeId,
  freshStep,
  insertSteps,
  placeOf,
  planOf,
  sayStep,
  STEP_KINDS,
  type FlowDocument,
  type Place,
  type Step,
} from '@/core/flows';
import { Button, Menu, plural } from '../kit';
import { STEP_OFFERS } from './AddWords';
import type { Edit } from './fields';
import type { StepActs } from './useStepActs';

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
    <Menu align="start" groups={[STEP_KINDS.map((kind) => ({ name: STEP_OFFERS[kind][0], onSelect: () => add(kind) }))]}>
      <Button className="justify-self-start">
        <Plus size={16} aria-hidden="true" /> {label}
      </Button>
    </Menu>
  );
}

/** What can be done with a step as a whole. */
export function StepBar({ document, step, edit, acts }: { document: FlowDocument; step: Step; edit: Edit; acts: StepActs }) {
  const place = placeOf(document, step.id);
  if (!place) return null;
  return (
    <div className="grid gap-2 border-t border-line pt-3">
      <div className="flex flex-wrap gap-2">
        <AddStep
          document={document}
          place={{ ...place, index: place.index + 1 }}
          label="Add after this"
          edit={edit}
          onAdded={acts.select}
        />
        {armsOf(step).map((arm) => (
          <AddStep
            key={arm.id}
            document={document}
            place={{ armId: arm.id, index: 0 }}
            label={`Add to “${arm.name}”`}
            edit={edit}
            onAdded={acts.select}
          />
        ))}
      </div>
      <div className="flex flex-wrap gap-x-2">
        <Button kind="quiet" onClick={() => acts.move(-1)} disabled={place.index === 0}>
          Move up
        </Button>
        <Button kind="quiet" onClick={() => acts.move(1)}>
          Move down
        </Button>
        <Acts acts={acts} />
      </div>
    </div>
  );
}

/** What can be done with steps that are chosen together. */
export function ChosenBar({ document, acts }: { document: FlowDocument; acts: StepActs }) {
  const steps = acts.chosen.map((id) => planOf(document).steps.get(id)!);
  const hasOn = (step: Step): boolean => (step.kind === 'send' ? !step.off : armsOf(step).some((arm) => arm.steps.some(hasOn)));
  const hasLetters = (step: Step): boolean => step.kind === 'send' || armsOf(step).some((arm) => arm.steps.some(hasLetters));
  return (
    <section className="grid gap-3" aria-label="Chosen steps">
      <h2 className="font-semibold">{plural(steps.length, 'step', 'steps')} chosen</h2>
      <ul className="grid gap-0.5 text-soft">
        {steps.map((step) => (
          <li key={step.id} className="truncate">
            {sayStep(step)}
          </li>
        ))}
      </ul>
      <div className="flex flex-wrap gap-2">
        <Button onClick={() => acts.wrap('branch')}>Put into a branch</Button>
        <Button onClick={() => acts.wrap('test')}>Put into a test</Button>
        {steps.some(hasLetters) && (
          <Button onClick={() => acts.switchMessages(steps.some(hasOn))}>
            {steps.some(hasOn) ? 'Switch messages off' : 'Switch messages on'}
          </Button>
        )}
      </div>
      <div className="flex flex-wrap gap-x-2">
        <Acts acts={acts} />
      </div>
      <p className="text-xs text-soft">Shift and a click, or Shift and the arrows, choose a stretch. Undo takes back any of this.</p>
    </section>
  );
}

const Acts = ({ acts }: { acts: StepActs }) => (
  <>
    <Button kind="quiet" onClick={acts.copy} title="Ctrl+C; paste with Ctrl+V, into another flow too">
      Copy
    </Button>
    <Button kind="quiet" onClick={acts.cut} title="Ctrl+X">
      Cut
    </Button>
    <Button kind="quiet" onClick={acts.duplicate} title="D">
      Duplicate
    </Button>
    <Button kind="quiet" onClick={acts.remove} title="Delete">
      Remove
    </Button>
  </>
);
