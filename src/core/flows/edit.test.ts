import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { cartLeftBehind } from '../../demo/flows';
import { eachStep, flowSchema, stepsOf, type FlowDocument, type Step } from './document';
import { duplicateStep, freeKey, insertSteps, keepArm, moveStep, placeOf, removeStep, type Place } from './edit';
import { armsOf } from './steps';
import { anyFlow } from './testing/anyflow';

const ids = (flow: FlowDocument) => stepsOf(flow).map((step) => step.id);
const fresh: Step = { id: 'fresh', kind: 'wait', for: 'P2D' };

/** Every place of a flow where a step can stand. */
function placesOf(flow: FlowDocument): Place[] {
  const places: Place[] = Array.from({ length: flow.steps.length + 1 }, (_, index) => ({ armId: null, index }));
  eachStep(flow.steps, (step) => {
    for (const arm of armsOf(step)) for (let index = 0; index <= arm.steps.length; index++) places.push({ armId: arm.id, index });
  });
  return places;
}
/** A flow and one of its steps, and a place in it. */
const anyEdit = anyFlow
  .filter((flow) => flow.steps.length > 0)
  .chain((flow) => fc.tuple(fc.constant(flow), fc.constantFrom(...ids(flow)), fc.constantFrom(...placesOf(flow))));
/** The ids of a step and of all that stands in its arms. */
const within = (step: Step): string[] => [step.id, ...armsOf(step).flatMap((arm) => arm.steps.flatMap(within))];
const stepOf = (flow: FlowDocument, id: string) => stepsOf(flow).find((step) => step.id === id)!;

describe('a key for a new flow', () => {
  it('is made of its name, and none that is taken', () => {
    expect(freeKey('Warm-up für Zoë!', [])).toBe('warm-up-fur-zoe');
    expect(freeKey('Cart', ['cart', 'cart-2'])).toBe('cart-3');
    expect(freeKey('喫茶', [])).toBe('flow');
    expect(freeKey('x'.repeat(200), [])).toMatch(/^x{50}$/);
  });
});

describe('putting in, taking out, moving, duplicating', () => {
  it('what is put in stands where it was put, and all else as it was', () => {
    fc.assert(
      fc.property(anyEdit, ([flow, , place]) => {
        const more = insertSteps(flow, place, [fresh]);
        expect(placeOf(more, 'fresh')).toEqual(place);
        expect(ids(more).filter((id) => id !== 'fresh')).toEqual(ids(flow));
        expect(removeStep(more, 'fresh')).toEqual(flow);
      }),
      { numRuns: 300 },
    );
  });

  it('what is taken out is gone with all that stands in its arms, and nothing else is', () => {
    fc.assert(
      fc.property(anyEdit, ([flow, id]) => {
        const gone = new Set(within(stepOf(flow, id)));
        expect(ids(removeStep(flow, id))).toEqual(ids(flow).filter((one) => !gone.has(one)));
      }),
      { numRuns: 300 },
    );
  });

  it('where one arm is kept its steps stand in place of the step, in their order, and nothing else changes', () => {
    fc.assert(
      fc.property(anyEdit, fc.nat(), ([flow, id], n) => {
        const step = stepOf(flow, id);
        const arms = armsOf(step);
        const arm = arms[n % arms.length];
        if (arm) expect(keepArm(flow, id, arm.id)).toEqual(insertSteps(removeStep(flow, id), placeOf(flow, id)!, arm.steps));
        expect(keepArm(flow, id, 'no-such-arm')).toEqual(flow);
      }),
      { numRuns: 300 },
    );
  });

  it('what is moved is the same step at another place, and cannot be moved into itself', () => {
    fc.assert(
      fc.property(anyEdit, ([flow, id, place]) => {
        const moved = moveStep(flow, id, place);
        expect([...ids(moved)].sort()).toEqual([...ids(flow)].sort());
        expect(stepOf(moved, id)).toEqual(stepOf(flow, id));
        const from = placeOf(flow, id)!;
        const isInside =
          place.armId !== null && within(stepOf(flow, id)).some((one) => armsOf(stepOf(flow, one)).some((arm) => arm.id === place.armId));
        const stays = from.armId === place.armId && (place.index === from.index || place.index === from.index + 1);
        if (isInside || stays) expect(moved).toEqual(flow);
        else
          expect(placeOf(moved, id)).toEqual({
            ...place,
            index: from.armId === place.armId && from.index < place.index ? place.index - 1 : place.index,
          });
      }),
      { numRuns: 500 },
    );
  });

  it('a copy stands right after what it is of, says the same, and has ids of its own all the way down', () => {
    fc.assert(
      fc.property(anyEdit, ([flow, id]) => {
        const { flow: more, id: copyId } = duplicateStep(flow, id);
        const [from, to] = [placeOf(more, id)!, placeOf(more, copyId!)!];
        expect(to).toEqual({ ...from, index: from.index + 1 });
        expect(new Set(ids(more)).size).toBe(ids(more).length);
        const bare = (step: Step): unknown =>
          JSON.parse(JSON.stringify(step, (key, value: unknown) => (key === 'id' && !/^b\d/.test(String(value)) ? undefined : value)));
        expect(bare(stepOf(more, copyId!))).toEqual(bare(stepOf(more, id)));
        expect(flowSchema.safeParse(more).success).toBe(true);
      }),
      { numRuns: 300 },
    );
  });

  it('pasted twice, a stretch gets other ids the second time', () => {
    const stretch = [cartLeftBehind.steps[1]!, cartLeftBehind.steps[2]!];
    const once = insertSteps(cartLeftBehind, { armId: null, index: 3 }, stretch);
    const twice = insertSteps(once, { armId: null, index: 3 }, stretch);
    expect(ids(twice)).toEqual([
      'by-value',
      'big-cart',
      'small-cart',
      'a-day',
      'reminder',
      'a-day-3',
      'reminder-3',
      'a-day-2',
      'reminder-2',
      'over',
    ]);
    expect(moveStep(twice, 'nowhere', { armId: null, index: 0 })).toBe(twice);
    expect(duplicateStep(twice, 'nowhere')).toEqual({ flow: twice, id: null });
  });
});
