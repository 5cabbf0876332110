import { cartLeftBehind } from '../src/demo/flows';
import { advance, armedRun, type RunningFlow } from '../src/core/flows';
import { factsOf, type Facts } from '../src/core/rules';
import { addDuration, DAY, HOUR } from '../src/core/time';

/** How many runs a second go from the cart to the end of the flow, in memory; floor: the same facts walked by a bare loop. */
const START = Date.parse('2026-11-24T12:00:00Z');
const RUNS = 100_000;
const flow: RunningFlow = { key: 'cart', document: cartLeftBehind, isOn: true, zone: 'Europe/Amsterdam' };
const facts: Facts[] = Array.from({ length: 1000 }, (_, i) =>
  factsOf(String(i), {
    reach: { email: { hasAddress: true, state: 'given', suppressed: null, pausedUntil: null } },
    events: Array.from({ length: 1 + (i % 5) }, (_x, n) => ({
      id: `${i}-${n}`,
      type: 'cart.updated',
      time: START + n * 1000,
      properties: { cartId: 'c', value: 20 + (i % 200), currency: 'EUR' },
    })),
  }),
);
let sends = 0;
function engine(): void {
  for (let i = 0; i < RUNS; i++) {
    const known = facts[i % facts.length]!;
    let run = armedRun(String(i), known.personId, { trigger: 'start', key: 'c' });
    for (const now of [START + HOUR + 5000, START + DAY + 5000, START + 9 * DAY]) {
      const result = advance(flow, run, known, { now, dueAt: now });
      run = result.run;
      sends += result.effects.length;
    }
    if (run.phase !== 'ended') throw new Error('the run has not ended');
  }
}
function bare(): void {
  for (let i = 0; i < RUNS; i++) {
    const known = facts[i % facts.length]!;
    let last = known.events[0]!;
    for (const event of known.events) if (event.type === 'cart.updated' && event.properties.cartId === 'c') last = event;
    const due = addDuration(last.time, 'PT1H', 'Europe/Amsterdam');
    sends += due <= START + DAY && Number(last.properties.value) >= 100 ? 2 : 2;
  }
}
const time = (work: () => void) => {
  const began = performance.now();
  work();
  return (performance.now() - began) / 1000;
};
time(engine);
time(bare);
const [e, b] = [time(engine), time(bare)];
if (!sends) throw new Error('nothing was sent');
console.log(
  `advance: ${Math.round((RUNS * 3) / e).toLocaleString('en')} calls/s,
    ${Math.round(RUNS / e).toLocaleString('en')} whole runs/s with their trace (bare loop over the same facts: ${Math.round(RUNS / b).toLocaleString('en')}/s)`,
);
