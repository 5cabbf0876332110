'use client';

import { TrialFields, USUAL_TRIAL } from './TrialFields';
import type { FlowReport } from '@/core/api';
import { changeArm, changeStep, FEWEST_TO_DECIDE, keepArm, sayShares, type Step, type TestStep } from '@/core/flows';
import { Button, doneUndoable, Field, inputClass, NumberField, plural, sayDate, sayShare, useStore } from '../kit';
import { ArmLabel, NameField, Part, Tick, type Props } from './fields';

/** The ways of a test, their shares and what came of each; one of them can be kept for everybody. */
export function TestPart({
  document,
  step,
  edit,
  came,
  decided,
  onSelect,
}: Props<TestStep> & {
  readonly decided: FlowReport['steps'][number]['decided'];
  readonly came: NonNullable<FlowReport['steps'][number]['arms']>;
  readonly onSelect: (id: string) => void;
}) {
  const keep = (armId: string) => {
    const next = keepArm(document, step.id, armId);
    edit(next, `${step.id}.keep`);
    onSelect(step.arms.find((arm) => arm.id === armId)?.steps[0]?.id ?? 'trigger');
    doneUndoable(`Only “${step.arms.find((arm) => arm.id === armId)?.name}” is left. Publish it to end the test.`, () =>
      edit(document, ''),
    );
  };
  return (
    <Part title="Test">
      <NameField document={document} step={step} edit={edit} />
      <Field label="Who draws">
        <select
          value={step.per}
          onChange={(event) =>
            edit(
              changeStep(document, step.id, (one) => ({ ...one, per: event.target.value }) as Step),
              `${step.id}.per`,
            )
          }
          className={inputClass}
        >
          <option value="person">each person, once for good</option>
          <option value="key">each cart or order anew</option>
        </select>
      </Field>
      <p className="text-xs text-soft">Lots decide who takes which arm, in proportion to the shares.</p>
      <Decides document={document} step={step} edit={edit} decided={decided} />
      {step.arms.map((arm) => (
        <fieldset key={arm.id} className="grid gap-2 rounded-md border border-line p-3">
          <ArmLabel document={document} step={step} arm={arm} edit={edit} />
          <Field label="Share" hint={`${sayShares(step.arms, arm)} of those who come by`}>
            <NumberField
              min={0}
              max={1000}
              step={1}
              aria-label={`Share of ${arm.name}`}
              value={arm.share ?? 0}
              onChange={(share) =>
                edit(
                  changeArm(document, step.id, arm.id, (one) => ({ ...one, share })),
                  `${arm.id}.share`,
                )
              }
            />
          </Field>
          <Came document={document} came={came.find((one) => one.id === arm.id)} />
          <div>
            <Button changes="/tests" onClick={() => keep(arm.id)} aria-label={`Keep only ${arm.name}`}>
              Keep only this
            </Button>
          </div>
        </fieldset>
      ))}
    </Part>
  );
}

/** Whether a test ends by itself, after how many people, and what came of that. */
function Decides({ document, step, edit, decided }: Props<TestStep> & { readonly decided: FlowReport['steps'][number]['decided'] }) {
  const { zone } = useStore();
  const change = (how: Pick<TestStep, 'decide' | 'trial'>, field: string) =>
    edit(
      changeStep(document, step.id, (one) => {
        const { decide: _, trial: __, won: ___, ...rest } = one as TestStep;
        return { ...rest, ...how };
      }),
      `${step.id}.${field}`,
    );
  const put = (decide: TestStep['decide']) => change(decide ? { decide } : {}, 'decide');
  const nameOf = (id: string) => step.arms.find((arm) => arm.id === id)?.name ?? id;
  return (
    <>
      <Tick label="Decides by itself" isOn={step.decide !== undefined} onChange={(isOn) => put(isOn ? { people: 500 } : undefined)} />
      {step.decide && (
        <Field
          label="After how many people in each arm"
          hint={
            'Counted once their time for the goal is over. Then a variant that is the winner (95% confidence) is kept, as a new version; ' +
            'otherwise the test goes on until you end it.'
          }
          problem={document.goal ? null : 'It needs a goal to decide by'}
        >
          <NumberField min={FEWEST_TO_DECIDE} max={1_000_000} step={50} value={step.decide.people} onChange={(people) => put({ people })} />
        </Field>
      )}
      <Tick
        label="Tried on a part first; the others wait for what it shows"
        isOn={step.trial !== undefined}
        onChange={(isOn) => change(isOn ? { trial: USUAL_TRIAL } : {}, 'trial')}
      />
      {step.trial && (
        <TrialFields trial={step.trial} ways={step.arms.length} onChange={(trial, field) => change({ trial }, `trial.${field}`)} />
      )}
      {step.won && <p className="text-soft">All others get “{nameOf(step.won.arm)}”. Change the trial to try anew.</p>}
      {decided && (
        <p className="rounded-md border border-line bg-wash p-3 text-sm" data-testid="verdict">
          {decided.arm === null
            ? `On ${sayDate(decided.at, zone)} there was no clear winner`
            : `On ${sayDate(decided.at, zone)} “${nameOf(decided.arm)}” was the winner`}
          :{' '}
          {decided.arms
            .map((one) => `${nameOf(one.id)} ${sayShare(one.goal, one.people)} of ${plural(one.people, 'person', 'people')}`)
            .join(', ')}
          .
        </p>
      )}
    </>
  );
}

/** What came of those who took an arm, in the days that the figures are of. */
function Came({
  document,
  came,
}: {
  document: Props<TestStep>['document'];
  came: NonNullable<FlowReport['steps'][number]['arms']>[number] | undefined;
}) {
  if (!came?.people) return null;
  return (
    <p className="text-xs text-soft tabular">
      {plural(came.people, 'person', 'people')} in the last 30 days
      {document.goal && `; ${plural(came.goal, 'reached', 'reached')} the goal, ${sayShare(came.goal, came.people)}`}
    </p>
  );
}
