import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { DAY, sayDuration } from '../time';
import { diff } from './diff';
import { eachStep, flowSchema, stepsOf, type Arm, type FlowDocument, type Step } from './document';
import { armsOf, kindOfStep, type BranchStep, type WaitStep } from './steps';
import { changeArm, changeStep } from './edit';
import { axis, bend, layout, unbend } from './layout';
import { planOf } from './plan';
import { preflight } from './preflight';
import { anyFlow as document } from './testing/anyflow';

/** Any flow of which something holds. */
const such = (holds: (flow: FlowDocument) => boolean) => document.filter(holds);

const runs = { numRuns: 300 };
const branches = (flow: FlowDocument) => stepsOf(flow).filter((step): step is BranchStep => step.kind === 'branch');

describe('any flow', () => {
  it('is sound by its own schema, and says so again after a trip through JSON', () => {
    fc.assert(
      fc.property(document, (flow) => {
        expect(flowSchema.parse(JSON.parse(JSON.stringify(flow)))).toEqual(flow);
      }),
      runs,
    );
  });

  it('with an id used twice, an arm for everyone else in the middle, or none, is refused with the place', () => {
    fc.assert(
      fc.property(
        such((flow) => branches(flow).length > 0),
        (flow) => {
          const [branch] = branches(flow);
          const broken: [FlowDocument, RegExp][] = [
            [{ ...flow, steps: [...flow.steps, { id: branch!.id, kind: 'end' }] }, /used twice/],
            [
              changeStep(flow, branch!.id, (step) => ({ ...step, arms: [...(step as BranchStep).arms].reverse() }) as Step),
              /everyone else|without a condition/,
            ],
            [
              changeStep(flow, branch!.id, (step) => ({ ...step, arms: (step as BranchStep).arms.slice(0, -1) }) as Step),
              /everyone else|at least two/,
            ],
          ];
          for (const [document, words] of broken) {
            const { error } = flowSchema.safeParse(document);
            expect(error?.issues.map((issue) => issue.message).join()).toMatch(words);
            expect(error?.issues.every((issue) => issue.path[0] === 'steps')).toBe(true);
          }
        },
      ),
      { numRuns: 60 },
    );
  });

  it('has one step after each, and following them comes to the end from anywhere', () => {
    fc.assert(
      fc.property(document, (flow) => {
        const plan = planOf(flow);
        expect([...plan.steps.keys()]).toHaveLength(stepsOf(flow).length);
        for (const id of plan.steps.keys()) {
          const seen = new Set<string>();
          for (let here: string | null = id; here !== null; here = plan.after.get(here)!) {
            expect(seen.has(here)).toBe(false);
            seen.add(here);
          }
        }
        expect(planOf(flow)).toBe(plan);
      }),
      runs,
    );
  });

  it('is checked before it runs without a finding that names no step of it, what stops before what warns', () => {
    fc.assert(
      fc.property(document, (flow) => {
        const findings = preflight(flow);
        const ids = new Set(stepsOf(flow).map((step) => step.id));
        for (const finding of findings) {
          expect(finding.stepId === null || ids.has(finding.stepId)).toBe(true);
          expect(finding.mend).toMatch(/[.?]$/);
        }
        const levels = findings.map((finding) => finding.level);
        expect(levels).toEqual([...levels].sort());
        const off = stepsOf(flow)
          .filter((step) => step.kind === 'send' && step.off)
          .map((step) => step.id);
        expect(
          findings
            .filter((finding) => finding.says.endsWith('is off'))
            .map((finding) => finding.stepId)
            .sort(),
        ).toEqual(off.sort());
      }),
      runs,
    );
  });
});

describe('the line map of any flow', () => {
  it('shows every step once, each after the one it follows, and leaves none on top of another', () => {
    fc.assert(
      fc.property(document, fc.integer({ min: 200, max: 2000 }), fc.integer({ min: 20, max: 120 }), (flow, width, gap) => {
        const map = layout(flow);
        const stops = new Map(map.stops.map((stop) => [stop.id, stop]));
        expect(stops.size).toBe(map.stops.length);
        // a step behind the end of its sequence is never reached, so it is not drawn
        for (const step of stepsOf(flow)) {
          if (step.kind === 'wait') continue;
          expect(stops.has(step.id) || !isReached(flow, step.id), step.id).toBe(true);
        }
        for (const { from, to } of map.stretches) {
          const [a, b] = [stops.get(from)!, stops.get(to)!];
          expect(b.at > a.at || (b.at === a.at && b.rank > a.rank), `${from} to ${to}`).toBe(true);
        }
        const { x, width: drawn } = axis(map, width, gap);
        expect(drawn).toBeGreaterThanOrEqual(0);
        const byRow = new Map<number, number[]>();
        for (const stop of map.stops) {
          const place = x(stop.at, stop.rank);
          expect(place).toBeGreaterThanOrEqual(-0.01);
          expect(place).toBeLessThanOrEqual(drawn + 0.01);
          expect(stop.lane).toBeGreaterThanOrEqual(0);
          expect(stop.lane).toBeLessThan(map.lanes);
          expect(stop.row).toBeLessThan(map.rows);
          // a row is shared by lanes that are not there at the same time
          byRow.set(stop.row, [...(byRow.get(stop.row) ?? []), place]);
        }
        for (const places of byRow.values()) {
          places.sort((a, b) => a - b);
          for (let i = 1; i < places.length; i++) expect(places[i]! - places[i - 1]!).toBeGreaterThanOrEqual(gap - 0.01);
        }
      }),
      runs,
    );
  });

  it('a place on the axis can be read back as the moment that stands there', () => {
    fc.assert(
      fc.property(document, fc.integer({ min: 200, max: 2000 }), fc.integer({ min: 20, max: 120 }), (flow, width, gap) => {
        const map = layout(flow);
        const { x, at } = axis(map, width, gap);
        for (const stop of map.stops) expect(at(x(stop.at, stop.rank))).toBeCloseTo(stop.at, 0);
        for (const { from, to } of map.stretches) {
          const [a, b] = [from, to].map((id) => map.stops.find((stop) => stop.id === id)!);
          const middle = (a!.at + b!.at) / 2;
          if (map.moments.every((moment) => moment.at !== middle)) expect(at(x(middle))).toBeCloseTo(middle, -1);
        }
      }),
      runs,
    );
  });

  it('each wait is a stretch as long as it lasts, and only the trigger lies before the entry', () => {
    fc.assert(
      fc.property(document, (flow) => {
        const map = layout(flow);
        const stops = new Map(map.stops.map((stop) => [stop.id, stop]));
        for (const stretch of map.stretches) {
          const step = stretch.wait === null ? undefined : planOf(flow).steps.get(stretch.wait);
          const span = step && kindOfStep(step).span?.(step);
          if (!span) continue;
          // where paths of unlike length meet, the shorter waits for the longer
          expect(stops.get(stretch.to)!.at - stops.get(stretch.from)!.at).toBeGreaterThanOrEqual(span.most!);
        }
        for (const stop of map.stops) if (stop.kind !== 'trigger') expect(stop.at).toBeGreaterThanOrEqual(0);
        expect(map.stops.filter((stop) => stop.kind === 'trigger')).toHaveLength(flow.triggers[0]!.kind === 'silence' ? 1 : 0);
      }),
      runs,
    );
  });

  it('each stop says when the first can be there and the last: as long as the shortest and the longest of the ways to it', () => {
    fc.assert(
      fc.property(document, (flow) => {
        const map = layout(flow);
        const stops = new Map(map.stops.map((stop) => [stop.id, stop]));
        for (const stop of map.stops) {
          expect(stop.least).toBeLessThanOrEqual(stop.most!);
          expect(stop.at).toBe(stop.most);
          const ways = map.stretches
            .filter((stretch) => stretch.to === stop.id)
            .map(({ from, wait }) => {
              const step = wait === null ? undefined : planOf(flow).steps.get(wait);
              const span = step && kindOfStep(step).span?.(step);
              const length = span ? span.most! : wait === 'trigger' ? -stops.get(from)!.least : 0;
              // what is waited for may come at once
              const least = span ? span.least : length;
              return { least: stops.get(from)!.least + least, most: stops.get(from)!.most! + length };
            });
          if (!ways.length) continue;
          expect(stop.least).toBe(Math.min(...ways.map((way) => way.least)));
          expect(stop.most).toBe(Math.max(...ways.map((way) => way.most)));
        }
      }),
      runs,
    );
  });

  it('its scale never turns back, gives each moment one place, and reads back what it shows', () => {
    fc.assert(
      fc.property(fc.integer({ min: -30 * DAY, max: 400 * DAY }), fc.integer({ min: -30 * DAY, max: 400 * DAY }), (a, b) => {
        expect(Math.sign(bend(a) - bend(b))).toBe(Math.sign(a - b));
        expect(unbend(bend(a))).toBeCloseTo(a, 3);
      }),
      { numRuns: 500 },
    );
  });

  /** Whether a run can come to a step: none can that stands behind an end, or behind a branch all of whose arms end. */
  function isReached(flow: FlowDocument, id: string): boolean {
    const reached = new Set<string>();
    const walk = (steps: readonly Step[]): boolean => {
      for (const step of steps) {
        reached.add(step.id);
        if (step.kind === 'end') return false;
        const arms = armsOf(step);
        if (arms.length && !arms.map((arm) => walk(arm.steps)).some(Boolean)) return false;
      }
      return true;
    };
    walk(flow.steps);
    return reached.has(id);
  }
});

describe('what a draft changes in any flow', () => {
  const says = (before: FlowDocument, after: FlowDocument) => diff(before, after, 'EUR').map((change) => change.says);
  /** Beside another change, so that no catch-all hides what is not told. */
  const renamed = (flow: FlowDocument): FlowDocument => ({ ...flow, name: 'Another name' });
  const beside = (before: FlowDocument, after: FlowDocument) => says(before, renamed(after)).filter((one) => !one.startsWith('Name:'));

  it('nothing is nothing, and anything is something, both ways', () => {
    fc.assert(
      fc.property(document, document, (a, b) => {
        expect(says(a, structuredClone(a))).toEqual([]);
        const isSame = JSON.stringify(a) === JSON.stringify(b);
        expect(says(a, b).length === 0).toBe(isSame);
        expect(says(b, a).length === 0).toBe(isSame);
      }),
      runs,
    );
  });

  it('a step that is added, and one that is taken out, are each told once', () => {
    fc.assert(
      fc.property(document, fc.nat(), (flow, place) => {
        const added: FlowDocument = { ...flow, steps: [...flow.steps] };
        added.steps.splice(place % (flow.steps.length + 1), 0, { id: 'fresh', kind: 'wait', for: 'P2D' });
        expect(beside(flow, added)).toEqual(['New: Wait 2 days']);
        expect(beside(added, flow)).toEqual(['Removed: Wait 2 days']);
      }),
      runs,
    );
  });

  it('an arm that is added or taken out is told with whom it takes, though it holds no step', () => {
    fc.assert(
      fc.property(
        such((flow) => branches(flow).length > 0),
        fc.nat(),
        (flow, pick) => {
          const branch = branches(flow)[pick % branches(flow).length]!;
          const arm: Arm = { id: 'fresh', name: 'The rest of them', when: { test: 'tag', tag: 'vip', has: true }, steps: [] };
          const more = changeStep(flow, branch.id, (step) => ({ ...step, arms: [arm, ...(step as BranchStep).arms] }) as Step);
          expect(beside(flow, more)).toEqual(['New arm “The rest of them”: has the tag vip']);
          expect(beside(more, flow)).toEqual(['Removed: arm “The rest of them”']);
        },
      ),
      runs,
    );
  });

  it('a step that moves to another place is told, a change of one arm names that arm', () => {
    fc.assert(
      fc.property(
        such((flow) => branches(flow).length > 0),
        (flow) => {
          const [branch] = branches(flow);
          const moved: Step = { id: 'moved', kind: 'wait', for: 'P2D' };
          const inArm = changeArm(flow, branch!.id, branch!.arms[0]!.id, (arm) => ({ ...arm, steps: [moved, ...arm.steps] }));
          const outside: FlowDocument = { ...flow, steps: [moved, ...flow.steps] };
          expect(beside(inArm, outside)).toEqual(['Moved: Wait 2 days']);
          const called = changeArm(flow, branch!.id, branch!.arms[0]!.id, (arm) => ({ ...arm, name: 'Called anew' }));
          expect(beside(flow, called)).toEqual([`Arm “${branch!.arms[0]!.name}” is now called “Called anew”`]);
        },
      ),
      runs,
    );
  });

  it('an edit of one step leaves every other as the same object, and gives back what it was when undone', () => {
    fc.assert(
      fc.property(
        such((flow) => stepsOf(flow).some((step) => step.kind === 'wait' && step.for)),
        (flow) => {
          const wait = stepsOf(flow).find((step) => step.kind === 'wait' && step.for)!;
          const edited = changeStep(flow, wait.id, (step) => ({ ...step, for: 'P9D' }) as Step);
          const around = new Set<string>([wait.id]);
          eachStep(flow.steps, (step) => {
            if (armsOf(step).length && JSON.stringify(step).includes(`"${wait.id}"`)) around.add(step.id);
          });
          const before = new Map(stepsOf(flow).map((step) => [step.id, step]));
          for (const step of stepsOf(edited)) if (!around.has(step.id) && !armsOf(step).length) expect(step).toBe(before.get(step.id));
          expect(changeStep(edited, wait.id, () => wait)).toEqual(flow);
          expect(beside(flow, edited)).toEqual([`Wait: ${sayDuration((wait as WaitStep).for!)} becomes 9 days`]);
        },
      ),
      runs,
    );
  });
});
