import { cartLeftBehind } from '../src/demo/flows';
import { replayPerson, type ReplayFlow } from '../src/core/replay';
import { factsOf, type FactEvent } from '../src/core/rules';
import { DAY, HOUR } from '../src/core/time';

/** A million events of 20,000 people through the cart flow on a virtual clock; floor: parsing the same events as NDJSON. */
const PEOPLE = 20_000;
const EACH = 50;
const BEGAN = Date.parse('2026-06-01T00:00:00Z');
const TYPES = ['cart.updated', 'page.viewed', 'product.viewed', 'order.placed', 'page.viewed'] as const;

/** Every person looks, fills a cart every nine hours or so, and orders some of them. */
const lines = (person: number): string[] =>
  Array.from({ length: EACH }, (_, n) => {
    const type = TYPES[(n * 7 + person) % 5]!;
    const time = BEGAN + n * 9 * HOUR + ((person * 7919) % DAY);
    const properties = type.includes('.viewed')
      ? { url: `/tanks/${n}` }
      : { cartId: `c${Math.floor(n / 5)}`, value: 20 + ((n * 31) % 300), currency: 'EUR' };
    return JSON.stringify({ person, id: String(person * EACH + n), type, time, properties });
  });

const flow: ReplayFlow = { key: 'cart-left-behind', document: cartLeftBehind, isOn: true, zone: 'Europe/Amsterdam', from: BEGAN };
const {
  events: _,
  personId: __,
  ...known
} = factsOf('1', { reach: { email: { hasAddress: true, state: 'given', suppressed: null, pausedUntil: null } } });

const population = Array.from({ length: PEOPLE }, (_, person) => lines(person).join('\n'));
let parseMs = 0;
let replayMs = 0;
let [runs, sends, count, highest] = [0, 0, 0, 0];
for (const [person, text] of population.entries()) {
  let began = performance.now();
  const events = text.split('\n').map((line) => JSON.parse(line) as FactEvent);
  parseMs += performance.now() - began;
  began = performance.now();
  const replayed = replayPerson([flow], { id: String(person), known, changes: [] }, events, BEGAN + 60 * DAY, () => String((count += 1)));
  replayMs += performance.now() - began;
  runs += replayed.runs.length;
  sends += replayed.sends.length;
  if (person % 1000 === 0) highest = Math.max(highest, process.memoryUsage().heapUsed);
}
const say = (n: number) => Math.round(n).toLocaleString('en');
console.log(
  `replay: ${say(PEOPLE * EACH)} events of ${say(PEOPLE)} people in ${(replayMs / 1000).toFixed(1)} s (${say((PEOPLE * EACH) / (replayMs / 1000))} events/s), ${say(runs)} runs, ${say(sends)} sends; parsing the same NDJSON ${(parseMs / 1000).toFixed(1)} s, ratio ${(replayMs / parseMs).toFixed(1)}; heap at most ${say(highest / 1e6)} MB with the text of all of it`,
);
