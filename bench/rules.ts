import { factsOf, ruleSchema, verdict, type FactEvent, type Rule, type Viewpoint } from '../src/core/rules';
import { DAY } from '../src/core/time';

/** How long 200 rules of three tests take for one person of 50 events; floor: the same events counted for each rule by a bare loop. */
const NOW = Date.parse('2026-11-24T12:00:00Z');
const RULES = 200;
const TIMES = 500;
const TYPES = ['cart.updated', 'page.viewed', 'order.placed', 'product.viewed', 'app.tank_planned'] as const;
const view: Viewpoint = { now: NOW, zone: 'Europe/Amsterdam' };
const days = (n: number) => 1 + (n % 90);
const rules: Rule[] = Array.from({ length: RULES }, (_, n) =>
  ruleSchema.parse({
    all: [
      { test: 'attribute', name: 'litres', op: 'atLeast', value: n },
      { test: 'did', event: TYPES[n % 5], times: 1 + (n % 3), since: { last: `P${days(n)}D` } },
      { test: 'didNot', event: TYPES[(n + 1) % 5], since: 'ever', where: [{ property: 'value', op: 'above', value: 5 * n }] },
    ],
  }),
);
const eventsOf = (person: number): FactEvent[] =>
  Array.from({ length: 50 }, (_, n) => ({
    id: String(n),
    type: TYPES[(n + person) % 5]!,
    time: NOW - (50 - n) * 2 * DAY,
    properties: { value: (n * 17) % 400, currency: 'EUR' },
  }));
const people = Array.from({ length: TIMES }, (_, person) => eventsOf(person));

let held = 0;
// facts of its own for each person and round: what is remembered of the events is part of the price
const engine = () => {
  for (const [person, events] of people.entries()) {
    const facts = factsOf(String(person), { attributes: { litres: person % 300 }, events: [...events] });
    for (const rule of rules) if (verdict(rule, facts, view).holds) held++;
  }
};
const bare = () => {
  for (const [person, events] of people.entries())
    for (let n = 0; n < RULES; n++) {
      if (person % 300 < n) continue;
      let did = 0;
      let other = 0;
      for (const event of events) {
        if (event.type === TYPES[n % 5] && event.time > NOW - days(n) * DAY) did++;
        if (event.type === TYPES[(n + 1) % 5] && Number(event.properties.value) > 5 * n) other++;
      }
      if (did >= 1 + (n % 3) && other === 0) held++;
    }
};
const perPerson = (work: () => void): readonly [number, number] => {
  work();
  held = 0;
  const began = performance.now();
  work();
  return [(performance.now() - began) / TIMES, held];
};
const [engineMs, engineHeld] = perPerson(engine);
const [bareMs, bareHeld] = perPerson(bare);
if (!engineHeld || Math.abs(engineHeld - bareHeld) > engineHeld / 50)
  throw new Error(`${engineHeld} hold, the bare loop finds ${bareHeld}`);
console.log(
  `rules: ${RULES} rules of three tests for a person of 50 events in ${engineMs.toFixed(3)} ms
    (bare loop over the same events: ${bareMs.toFixed(3)} ms, ratio ${(bareMs / engineMs).toFixed(2)})`,
);
