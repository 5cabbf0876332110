import type { Instant } from '../time';
import { compare, type PropertyTest, type WhereTest } from './compare';
import { valueAt, type FactEvent, type Facts, type Happening } from './facts';
import type { Value } from './value';

/** Whether all tests on an event's properties hold. */
export function matches(event: Happening, where: readonly WhereTest[] | undefined): boolean {
  return (
    !where ||
    where.every((test) =>
      'any' in test ? hasItem(valueAt(event.properties, test.property), test.any) : compare(valueAt(event.properties, test.property), test),
    )
  );
}

/** Whether a list has an item for which all tests hold; what is no list has none. */
function hasItem(list: Value | undefined, tests: readonly PropertyTest[]): boolean {
  return (
    Array.isArray(list) &&
    list.some((item: Value) => {
      if (item === null || typeof item !== 'object' || Array.isArray(item)) return false;
      return tests.every((test) => compare(valueAt(item as { readonly [name: string]: Value }, test.property), test));
    })
  );
}

// the same facts are asked for by many rules: their events are sorted by type once, and those that are added later then
const sorted = new WeakMap<readonly FactEvent[], { size: number; readonly byType: Map<string, FactEvent[]> }>();
const NONE: readonly FactEvent[] = [];

/** The events of a type, ascending. A list of events may grow at its end while it is looked at, and in no other way. */
export function eventsOf(facts: Pick<Facts, 'events'>, type: string): readonly FactEvent[] {
  const { events } = facts;
  let known = sorted.get(events);
  if (!known) sorted.set(events, (known = { size: 0, byType: new Map() }));
  for (; known.size < events.length; known.size++) {
    const event = events[known.size]!;
    const own = known.byType.get(event.type);
    if (own) own.push(event);
    else known.byType.set(event.type, [event]);
  }
  return known.byType.get(type) ?? NONE;
}

/** The number of the first event after a moment, of events in order. */
export function firstAfter(events: readonly FactEvent[], moment: Instant): number {
  let low = 0;
  let high = events.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (events[middle]!.time > moment) high = middle;
    else low = middle + 1;
  }
  return low;
}
