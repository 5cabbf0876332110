import type { Facts } from '../rules';
import type { Instant } from '../time';
import { advance, type Advanced, type RunningFlow } from './advance';
import type { EarlierRun } from './begin';
import type { Run } from './run';

/** A run of a person that is due. */
export interface Due {
  readonly flow: RunningFlow;
  /** tells flows apart */
  readonly flowId: string | number;
  readonly run: Run;
  readonly dueAt: Instant;
}

/** What became of a due run: how far it went, or what it broke on. A run that breaks stops no other. */
export type Passed = { readonly due: Due } & ({ readonly result: Advanced } | { readonly error: unknown });

/** Of a flow that says nothing of it. */
export const PLAIN_PRIORITY = 50;
function priorityOf({ flow }: Due): number {
  try {
    return flow.document.priority ?? PLAIN_PRIORITY;
  } catch {
    // one whose document cannot be read breaks when it is moved, alone
    return PLAIN_PRIORITY;
  }
}

/**
 * Moves all due runs of one person, by the priority of their flows and then most overdue first, each as far as it goes. What one does the next one sees: a run
 * that has entered is among the earlier runs of the next in the same flow. `earlier` are the person's runs by flow.
 */
export function advancePerson(
  due: readonly Due[],
  facts: Facts,
  now: Instant,
  earlier: ReadonlyMap<string | number, readonly EarlierRun[]>,
): Passed[] {
  const others = new Map(earlier);
  let known = facts;
  const issued = new Map<string, number>();
  return [...due]
    .sort((a, b) => priorityOf(b) - priorityOf(a) || a.dueAt - b.dueAt)
    .map((one): Passed => {
      const { flow, flowId, run, dueAt } = one;
      try {
        const own = others.get(flowId) ?? [];
        const result = advance(
          lessIssued(flow, issued),
          run,
          known,
          { now, dueAt },
          own.filter((other) => other.id !== run.id),
        );
        const { about, phase, outcome, enteredAt, effects } = result.run;
        if (run.enteredAt === null && enteredAt !== null) flow.places?.take(enteredAt);
        known = result.facts;
        for (const effect of result.effects) if (effect.kind === 'code') issued.set(effect.offer, (issued.get(effect.offer) ?? 0) + 1);
        others.set(flowId, [
          ...own.filter((other) => other.id !== run.id),
          { id: run.id, key: about.key, phase, outcome, enteredAt, effects },
        ]);
        return { due: one, result };
      } catch (error) {
        return { due: one, error };
      }
    });
}

/** A flow with as many codes less as have been issued in this passage already. */
function lessIssued(flow: RunningFlow, issued: ReadonlyMap<string, number>): RunningFlow {
  const { codesLeft } = flow;
  if (!codesLeft || !issued.size) return flow;
  return { ...flow, codesLeft: new Map([...codesLeft].map(([offer, left]) => [offer, left - (issued.get(offer) ?? 0)])) };
}
