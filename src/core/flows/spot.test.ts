import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { cartLeftBehind } from '../../demo/flows';
import { DAY, HOUR } from '../time';
import { flowSchema, stepsOf, type FlowDocument, type Step } from './document';
import { insertSteps, placeOf } from './edit';
import { layout } from './layout';
import { between, partWait, spotsOn, waitBefore, waitedBefore } from './spot';
import { duplicateSteps, readStretch, removeSteps, stretchText, switchMessages, wrapSteps } from './stretch';
import { plainWaitMs } from './typed';
import { anyFlow } from './testing/anyflow';

const fresh: Step = { id: 'fresh', kind: 'idea', text: 'Something' };
const plain = (steps: Step[]): FlowDocument => ({ ...cartLeftBehind, goal: null, stay: null, steps });
const idea = (id: string): Step => ({ id, kind: 'idea', text: id });

describe('where steps can be put in on the map', () => {
  it('law: what is put in at either end of a stretch stands between its two stops', () => {
    fc.assert(
      fc.property(anyFlow, (flow) => {
        for (const stretch of layout(flow).stretches) {
          const { start, end } = spotsOn(flow, stretch);
          for (const place of [start, end]) {
            if (!place) continue;
            const next = insertSteps(flow, place, [fresh]);
            const { stops, stretches } = layout(next);
            expect(stops.some((stop) => stop.id === 'fresh')).toBe(true);
            // going on from the one, one comes to the other by way of what was put in
            const after = (id: string): string[] => stretches.filter((one) => one.from === id).map((one) => one.to);
            const reached = new Set(['fresh']);
            for (const id of reached) for (const one of after(id)) reached.add(one);
            // a mark between a wait and what follows falls away with the need for it
            if (!stretch.to.endsWith(':over')) expect(reached.has(stretch.to), `${stretch.from} to ${stretch.to}`).toBe(true);
          }
        }
      }),
      { numRuns: 150 },
    );
  });

  it('nothing is put in before the entry, nor where the arms of a wait part', () => {
    const flow = plain([
      {
        id: 'w',
        kind: 'wait',
        for: 'P2D',
        until: { event: 'order.placed' },
        arms: [
          { id: 'a', name: 'Came', when: null, steps: [] },
          { id: 'b', name: 'Not', when: null, steps: [] },
        ],
      },
    ]);
    const { stretches } = layout(flow);
    expect(
      spotsOn(
        flow,
        stretches.find((one) => one.wait === 'trigger')!,
      ),
    ).toEqual({ start: null, end: null, parts: null });
    expect(
      spotsOn(
        flow,
        stretches.find((one) => one.wait === 'w')!,
      ),
    ).toEqual({ start: { armId: null, index: 0 }, end: null, parts: null });
  });

  it('a wait is parted at a moment, and all in all lasts as long as before', () => {
    const flow = plain([{ id: 'w', kind: 'wait', for: 'P3D' }, idea('last')]);
    const parted = partWait(flow, 'w', DAY, [fresh]);
    expect(parted.steps).toMatchObject([
      { id: 'w', kind: 'wait', for: 'P1D' },
      { id: 'fresh' },
      { id: 'w-2', kind: 'wait', for: 'P2D' },
      { id: 'last' },
    ]);
    expect(partWait(flow, 'w', 0, [fresh]).steps.map((step) => step.id)).toEqual(['fresh', 'w', 'last']);
    expect(partWait(flow, 'w', 3 * DAY, [fresh]).steps.map((step) => step.id)).toEqual(['w', 'fresh', 'last']);
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 3 * 24 * 60 - 1 }), (minutes) => {
        const next = partWait(flow, 'w', minutes * 60_000, [fresh]);
        expect(next.steps.reduce((sum, step) => sum + (plainWaitMs(step) ?? 0), 0)).toBe(3 * DAY);
      }),
    );
  });

  it('the wait before a step is changed, put in, and taken out at nothing; another kind of wait is left alone', () => {
    const flow = plain([idea('one'), idea('two')]);
    const later = waitBefore(flow, 'two', 6 * HOUR);
    expect(later.steps).toMatchObject([{ id: 'one' }, { kind: 'wait', for: 'PT6H' }, { id: 'two' }]);
    expect(waitedBefore(later, 'two')).toBe(6 * HOUR);
    expect(waitBefore(later, 'two', 2 * DAY).steps[1]).toMatchObject({ for: 'P2D' });
    expect(waitBefore(later, 'two', 0)).toEqual(flow);
    const until = plain([{ id: 'w', kind: 'wait', for: 'P2D', until: { event: 'order.placed' } }, idea('two')]);
    expect(waitedBefore(until, 'two')).toBeNull();
    expect(waitBefore(until, 'two', DAY)).toBe(until);
  });
});

describe('several steps at once', () => {
  const branch: Step = {
    id: 'b',
    kind: 'branch',
    name: 'B',
    arms: [
      { id: 'b-a', name: 'A', when: { all: [] }, steps: [idea('x'), idea('y')] },
      { id: 'b-b', name: 'B', when: null, steps: [idea('z')] },
    ],
  };
  const flow = plain([idea('one'), branch, idea('two')]);

  it('a stretch between two steps is of one sequence; from different arms it takes in what holds them', () => {
    expect(between(flow, 'one', 'two')).toEqual(['one', 'b', 'two']);
    expect(between(flow, 'y', 'x')).toEqual(['x', 'y']);
    expect(between(flow, 'x', 'z')).toEqual(['b']);
    expect(between(flow, 'z', 'two')).toEqual(['b', 'two']);
    expect(between(flow, 'x', 'x')).toEqual(['x']);
  });

  it('is wrapped into a branch, whose first way goes as before', () => {
    const { flow: wrapped, id } = wrapSteps(flow, ['one', 'b'], 'branch');
    expect(wrapped.steps).toMatchObject([
      { id, kind: 'branch', arms: [{ steps: [{ id: 'one' }, { id: 'b' }] }, { steps: [] }] },
      { id: 'two' },
    ]);
    expect(stepsOf(wrapSteps(flow, ['x'], 'test').flow).map((step) => step.id)).toEqual(['one', 'b', 'test', 'x', 'y', 'z', 'two']);
  });

  it('is copied as text and pasted into any flow, with ids that are free there', () => {
    const read = readStretch(stretchText([branch]));
    expect(read).toEqual({ steps: [branch] });
    const { flow: twice, ids } = duplicateSteps(flow, ['one', 'b']);
    expect(ids).toEqual(['one-2', 'b-2']);
    expect(flowSchema.safeParse(twice).success).toBe(true);
    expect(twice.steps.map((step) => step.id)).toEqual(['one', 'b', 'one-2', 'b-2', 'two']);
    expect(placeOf(twice, 'z-2')).toEqual({ armId: 'b-b-2', index: 0 });
  });

  it('a text that is no stretch is none; one that is spoilt says what is wrong', () => {
    expect(readStretch('Dear all')).toBeNull();
    expect(readStretch('{"schema":"viatic.steps/1","steps":[')).toMatchObject({ problem: expect.stringContaining('cut off') as string });
    expect(readStretch('{"schema":"viatic.steps/1","steps":[{"id":"w","kind":"wait","for":"soon"}]}')).toMatchObject({
      problem: expect.stringContaining('steps.0.for') as string,
    });
  });

  it('is taken out, and its messages are switched off, those in its arms too', () => {
    expect(removeSteps(flow, ['one', 'b']).steps.map((step) => step.id)).toEqual(['two']);
    const letters = cartLeftBehind;
    const all = letters.steps.map((step) => step.id);
    const off = switchMessages(letters, all, true);
    expect(stepsOf(off).filter((step) => step.kind === 'send' && !step.off)).toEqual([]);
    expect(switchMessages(off, all, false)).toEqual(letters);
  });
});
