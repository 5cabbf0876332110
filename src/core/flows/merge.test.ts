import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { cartLeftBehind } from '../../demo/flows';
import { flowSchema, stepsOf, type FlowDocument, type Step } from './document';
import { changeStep, insertSteps, moveStep, removeStep } from './edit';
import { partsBetween, takeOver, untouched } from './merge';
import { armsOf } from './steps';
import { anyFlow } from './testing/anyflow';

const idea = (id: string): Step => ({ id, kind: 'idea', text: id });
const line: FlowDocument = { ...cartLeftBehind, steps: [idea('one'), idea('two'), idea('three')] };
const ids = (flow: FlowDocument) => stepsOf(flow).map((step) => step.id);
const all = (mine: FlowDocument, theirs: FlowDocument) => new Set(partsBetween(mine, theirs).map(({ id }) => id));

/** A flow after some edits, as one of two who work on it makes them. */
const edited = (flow: FlowDocument): fc.Arbitrary<FlowDocument> =>
  fc
    .array(fc.tuple(fc.constantFrom('add', 'remove', 'move', 'text', 'name', 'arm'), fc.nat(50), fc.nat(50)), { maxLength: 4 })
    .map((acts) =>
      acts.reduce((now, [act, n, m], index) => {
        const known = ids(now);
        const id = known[n % Math.max(1, known.length)];
        if (act === 'name') return { ...now, name: `Named ${n}` };
        if (act === 'add') return insertSteps(now, { armId: null, index: n % (now.steps.length + 1) }, [idea(`new-${index}-${n}-${m}`)]);
        if (id === undefined) return now;
        if (act === 'remove') return removeStep(now, id);
        if (act === 'arm')
          return changeStep(now, id, (step) =>
            // a branch keeps at least two, and its last one
            step.kind === 'branch' && step.arms.length > 2 ? { ...step, arms: step.arms.slice(1) } : step,
          );
        if (act === 'move') return moveStep(now, id, { armId: null, index: m % (now.steps.length + 1) });
        return changeStep(now, id, (step) => ('name' in step ? { ...step, name: `Other ${m}` } : step));
      }, flow),
    );

describe('two drafts of one flow', () => {
  it('law: with nothing taken over a draft stays as it was; with everything it is the other', () => {
    fc.assert(
      fc.property(
        anyFlow.chain((flow) => fc.tuple(edited(flow), edited(flow))),
        ([mine, theirs]) => {
          expect(takeOver(mine, theirs, new Set())).toEqual(mine);
          expect(takeOver(mine, theirs, all(mine, theirs))).toEqual(theirs);
          expect(partsBetween(mine, mine)).toEqual([]);
        },
      ),
      { numRuns: 400 },
    );
  });

  it('law: whatever is taken over, it is a flow, and no step is in it twice', () => {
    fc.assert(
      fc.property(
        anyFlow.chain((flow) => fc.tuple(edited(flow), edited(flow), fc.infiniteStream(fc.boolean()))),
        ([mine, theirs, lots]) => {
          const some = new Set([...all(mine, theirs)].filter(() => lots.next().value));
          const merged = takeOver(mine, theirs, some);
          expect(new Set(ids(merged)).size).toBe(ids(merged).length);
          expect(flowSchema.safeParse(merged).success).toBe(true);
          // nothing of mine is lost whose going was not taken, nor that of what holds it
          const held = (steps: readonly Step[], gone: boolean): string[] =>
            steps.flatMap((step) => {
              const isGone = gone || some.has(`gone ${step.id}`);
              return [...(isGone ? [] : [step.id]), ...armsOf(step).flatMap((arm) => held(arm.steps, isGone))];
            });
          const there = new Set(ids(merged));
          for (const id of held(mine.steps, false)) expect(there.has(id), id).toBe(true);
        },
      ),
      { numRuns: 300 },
    );
  });

  it('what only they have changed is taken, what only I have changed stays', () => {
    const mine = changeStep(line, 'one', (step) => ({ ...step, text: 'mine' }) as Step);
    const theirs = insertSteps(
      changeStep(line, 'three', (step) => ({ ...step, text: 'theirs' }) as Step),
      { armId: null, index: 2 },
      [idea('new')],
    );
    const merged = takeOver(mine, theirs, untouched(line, mine, theirs));
    expect(merged.steps).toMatchObject([{ text: 'mine' }, { id: 'two' }, { id: 'new' }, { text: 'theirs' }]);
  });

  it('says what differs, part by part', () => {
    const theirs = removeStep({ ...line, name: 'Theirs', goal: null }, 'two');
    expect(partsBetween(line, theirs).map(({ says }) => says)).toEqual(['Its name', 'Its goal', 'Gone: Idea: two']);
    expect(partsBetween(line, moveStep(line, 'one', { armId: null, index: 3 })).map(({ says }) => says)).toEqual([
      'The order of the steps',
    ]);
  });
});
