import { flowSchema, type FlowDocument, type Step } from '../src/core/flows';
import { connect } from '../src/data/db';
import { preflightOf, writeDraft } from '../src/server/flows';
import { cartLeftBehind } from '../src/demo/flows';

/** How long the preflight of a flow of 200 steps with ten checks takes over Quillfin; floor: its document read and held against the schema. */
const STEPS = 200;
const TIMES = 10;

const send = (cartLeftBehind.steps[0] as Extract<Step, { kind: 'branch' }>).arms[0]!.steps[0] as Extract<Step, { kind: 'send' }>;
const steps: Step[] = Array.from({ length: STEPS / 4 }, (_, n): Step[] => [
  { id: `wait-${n}`, kind: 'wait', for: 'P1D' },
  {
    id: `by-${n}`,
    kind: 'branch',
    name: `By value ${n}`,
    arms: [
      {
        id: `many-${n}`,
        name: 'Much',
        when: {
          all: [
            { test: 'trigger', property: 'value', op: 'atLeast', value: n },
            { test: 'did', event: 'page.viewed', times: 3, since: { last: 'P9D' } },
          ],
        },
        steps: [{ ...send, id: `send-${n}`, name: `Letter ${n}` }],
      },
      {
        id: `few-${n}`,
        name: 'Little',
        when: null,
        steps: [{ id: `tag-${n}`, kind: 'update', name: `Tag ${n}`, changes: [{ do: 'tag', tag: `tag-${n}` }] }],
      },
    ],
  },
]).flat();
const checks: FlowDocument['checks'] = Array.from({ length: 10 }, (_, n) => ({
  name: `Check ${n}`,
  events: [{ type: 'cart.updated', after: 'PT1M', data: { cartId: 'c', value: n * 9, currency: 'EUR' } }],
  expects: { sends: [] },
}));
const text = JSON.stringify({ ...cartLeftBehind, stay: null, goal: null, steps, checks });

const db = connect(process.env.VIATIC_DATABASE_URL!, 4);
await writeDraft(db, 'long-one', JSON.parse(text), null);
const each = async (work: () => unknown): Promise<number> => {
  await work();
  const began = performance.now();
  for (let n = 0; n < TIMES; n++) await work();
  return (performance.now() - began) / TIMES;
};
const preflightMs = await each(() => preflightOf(db, 'long-one'));
const floorMs = await each(() => flowSchema.parse(JSON.parse(text)));
const { findings } = await preflightOf(db, 'long-one');
console.log(
  `preflight of ${STEPS} steps with ten checks: ${preflightMs.toFixed(0)} ms, ${findings.length} findings; its document read and checked: ${floorMs.toFixed(1)} ms (${(preflightMs / floorMs).toFixed(0)} times)`,
);
await db.destroy();
