import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { placeOf, stepsOf, type FlowDocument, type Step } from '@/core/flows';
import { anyFlow } from '@/core/flows/testing/anyflow';
import { DAY, HOUR } from '@/core/time';
import { cartLeftBehind } from '@/demo';
import { aimOf, letGo, putAt, spotAt } from './aim';
import { drawingOf } from './drawing';

const FRAME = { width: 668, height: 590 };
const idea = (id: string): Step => ({ id, kind: 'idea', text: id });
const flowOf = (steps: Step[]): FlowDocument => ({
  ...cartLeftBehind,
  goal: null,
  stay: null,
  triggers: [{ id: 'start', kind: 'event', event: 'order.placed', key: 'orderId' }],
  steps,
});
const line = flowOf([idea('one'), { id: 'w', kind: 'wait', for: 'P3D' }, idea('two')]);

describe('a flow as it is drawn', () => {
  it('every stop lies within the sheet, and the columns of text of one row stand clear of each other', () => {
    fc.assert(
      fc.property(anyFlow, fc.integer({ min: 320, max: 1600 }), fc.constantFrom(0, 76), (flow, width, figures) => {
        const drawing = drawingOf(flow, { width, height: 590 }, { figures });
        const byRow = new Map<number, number[]>();
        for (const { x, y, stop } of drawing.stops) {
          expect(x).toBeGreaterThan(0);
          expect(x).toBeLessThan(drawing.width);
          expect(y).toBeLessThan(drawing.height);
          byRow.set(stop.row, [...(byRow.get(stop.row) ?? []), x]);
        }
        for (const row of byRow.values()) {
          row.sort((a, b) => a - b);
          for (let i = 1; i < row.length; i++) expect(row[i]! - row[i - 1]!).toBeGreaterThan(drawing.column);
        }
      }),
      { numRuns: 150 },
    );
  });

  it('ticks stand only where something happens', () => {
    fc.assert(
      fc.property(anyFlow, (flow) => {
        const { ticks, map } = drawingOf(flow, FRAME);
        for (const tick of ticks) expect(tick.at === 0 || map.moments.some(({ at }) => at === tick.at)).toBe(true);
      }),
      { numRuns: 50 },
    );
  });

  it('draws closer where all of it fits into the frame then, and no closer', () => {
    const many = flowOf(Array.from({ length: 8 }, (_, n) => idea(`s${n}`)));
    expect(drawingOf(many, { width: 760, height: 500 }).width).toBe(760);
    expect(drawingOf(many, { width: 400, height: 500 }).width).toBeGreaterThan(700);
  });
});

describe('where something is put in', () => {
  it('in the middle of a wait the wait is parted at a sensible length, near its ends it is left whole', () => {
    const drawing = drawingOf(line, FRAME);
    const [one, two] = [drawing.byId.get('one')!, drawing.byId.get('two')!];
    const middle = spotAt(drawing, line, { x: drawing.xOf(DAY), y: one.y }, 16)!;
    expect(middle).toMatchObject({ part: { wait: 'w', ms: DAY }, says: '1 d after entry' });
    expect(putAt(line, middle, [idea('new')]).steps.map((step) => ('for' in step ? step.for : step.id))).toEqual([
      'one',
      'P1D',
      'new',
      'P2D',
      'two',
    ]);
    const start = spotAt(drawing, line, { x: one.x + 3, y: one.y }, 16)!;
    expect(putAt(line, start, [idea('new')]).steps.map(({ id }) => id)).toEqual(['one', 'new', 'w', 'two']);
    const end = spotAt(drawing, line, { x: two.x - 3, y: one.y }, 16)!;
    expect(putAt(line, end, [idea('new')]).steps.map(({ id }) => id)).toEqual(['one', 'w', 'new', 'two']);
    expect(spotAt(drawing, line, { x: one.x, y: one.y + 40 }, 16)).toBeNull();
  });

  it('law: any point of a line is a place, and what is put in there is in the flow', () => {
    fc.assert(
      fc.property(anyFlow, fc.nat(), fc.double({ min: 0, max: 1, noNaN: true }), (flow, n, along) => {
        const drawing = drawingOf(flow, FRAME);
        const stretch = drawing.stretches[n % drawing.stretches.length]!;
        const point = { x: stretch.from.x + (stretch.to.x - stretch.from.x) * along, y: stretch.y };
        const spot = spotAt(drawing, flow, point, 4);
        if (!spot) return;
        const next = putAt(flow, spot, [idea('new-one')]);
        expect(stepsOf(next).some(({ id }) => id === 'new-one')).toBe(true);
      }),
      { numRuns: 300 },
    );
  });
});

describe('a stop that is dragged', () => {
  const drawing = drawingOf(line, FRAME);
  const two = drawing.byId.get('two')!;

  it('along its lane changes the wait before it; close to what stands before it the wait is gone', () => {
    const aim = aimOf(drawing, line, 'two', { x: drawing.xOf(DAY), y: two.y });
    expect(aim).toMatchObject({ kind: 'wait', ms: DAY, says: '1 day', moment: '1 d after entry' });
    expect(letGo(line, 'two', aim).steps[1]).toEqual({ id: 'w', kind: 'wait', for: 'P1D' });
    expect(letGo(line, 'two', aimOf(drawing, line, 'two', { x: 0, y: two.y })).steps.map(({ id }) => id)).toEqual(['one', 'two']);
    // where none stood, one is put in
    const first = aimOf(drawing, line, 'one', { x: drawing.xOf(6 * HOUR), y: two.y });
    expect(letGo(line, 'one', first).steps[0]).toMatchObject({ kind: 'wait', for: 'PT6H' });
  });

  it('further than anything that stands there the scale goes on', () => {
    const aim = aimOf(drawing, line, 'two', { x: drawing.width + 200, y: two.y });
    expect(aim.kind === 'wait' && aim.ms).toBeGreaterThan(3 * DAY);
  });

  it('to another lane is moved there, and stays where a line is too far', () => {
    const branch: Step = {
      id: 'b',
      kind: 'branch',
      name: 'B',
      arms: [
        { id: 'b-a', name: 'A', when: { all: [] }, steps: [idea('x')] },
        { id: 'b-b', name: 'B', when: null, steps: [idea('y')] },
      ],
    };
    const flow = flowOf([branch, idea('z')]);
    const both = drawingOf(flow, FRAME);
    const y = both.byId.get('y')!;
    const aim = aimOf(both, flow, 'x', { x: y.x - 30, y: y.y });
    expect(aim.kind).toBe('move');
    expect(placeOf(letGo(flow, 'x', aim), 'x')).toEqual({ armId: 'b-b', index: 0 });
    const far = aimOf(both, flow, 'x', { x: y.x, y: y.y + 600 });
    expect(far.kind).toBe('none');
    expect(letGo(flow, 'x', far)).toBe(flow);
  });
});
