import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { preflight, type FlowDocument } from '@/core/flows';
import { flowWith, letter } from '@/core/flows/testing/asking';
import { query } from '@/data/db';
import { happening, openLab, type Lab } from '../testing/lab';
import { publishFlow, readFlow, writeDraft } from '.';

// what the engine decides with complete facts, here with what the worker's own loader brings
let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await lab.empty('flows', 'flow_versions');
});

const email = 'anna@example.com';
const person = { email, consent: { email: true } };
const view = (sku: string) => happening('product.viewed', { sku, person });
const order = (orderId: string, more: object = {}) => happening('order.placed', { orderId, value: 40, currency: 'EUR', person }, more);
const subjects = () => lab.inbox.map(({ subject }) => subject);
const browsed = (unless: string): FlowDocument =>
  flowWith({
    reentry: 'always',
    triggers: [{ id: 's', kind: 'silence', event: 'product.viewed', key: null, after: 'PT1H', unless: { event: unless } }],
    steps: [letter('seen')],
  });

describe('an inactivity trigger without a key', () => {
  it('is cancelled by what comes after the last event, not by what came before it', async () => {
    await lab.addFlow('browsed', browsed('order.placed'));
    await lab.tell(order('o1'));
    await lab.pass('P1D');
    await lab.tell(view('QF-1'));
    await lab.pass('PT2H');
    expect(subjects()).toEqual(['seen']);
    await lab.tell(view('QF-2'));
    await lab.pass('PT10M');
    await lab.tell(order('o2'));
    await lab.pass('PT2H');
    expect(subjects()).toEqual(['seen']);
  });

  it('that its own event cancels never fires, and preflight stops it', () => {
    const codes = (document: FlowDocument) => preflight(document).map(({ code, level }) => `${code} ${level}`);
    expect(codes(browsed('product.viewed'))).toContain('cancels-itself stops');
    expect(codes(browsed('order.placed'))).not.toContain('cancels-itself stops');
  });
});

describe('a run that entered by a trigger of an earlier version', () => {
  it('goes on after the trigger was replaced, and its messages go out', async () => {
    const steps: FlowDocument['steps'] = [{ id: 'w', kind: 'wait', for: 'P2D' }, letter('after')];
    await lab.addFlow('thanks', flowWith({ steps }));
    await lab.tell(order('o1'));
    await lab.settle();
    const { draft } = await readFlow(lab.db, 'thanks');
    const triggers: FlowDocument['triggers'] = [{ id: 'other', kind: 'event', event: 'parcel.delivered', key: 'orderId' }];
    await writeDraft(lab.db, 'thanks', { ...draft, triggers }, null);
    await publishFlow(lab.db, 'thanks', 'test', null, 'move');
    await lab.pass('P3D');
    expect(subjects()).toEqual(['after']);
    expect(await query(lab.db, `select state, reason from sends`)).toEqual([{ state: 'sent', reason: null }]);
  });
});

describe('a goal that starts another flow', () => {
  it('passes on all that came with it, not just what its own condition names', async () => {
    await lab.addFlow(
      'next',
      flowWith({ triggers: [{ id: 's', kind: 'event', event: 'app.opened', key: 'id' }], steps: [letter('next')] }),
    );
    await lab.addFlow(
      'first',
      flowWith({
        triggers: [{ id: 's', kind: 'event', event: 'product.viewed', key: 'sku' }],
        goal: {
          event: 'order.placed',
          where: [{ property: 'value', op: 'atLeast', value: 10 }],
          within: 'P7D',
          ends: true,
          handTo: 'next',
        },
        steps: [{ id: 'w', kind: 'wait', for: 'P5D' }],
      }),
    );
    await lab.tell(view('QF-1'));
    await lab.settle();
    await lab.pass('PT1M');
    await lab.tell(order('o1'));
    await lab.settle();
    const [handed] = await query<{ properties: object }>(lab.db, `select properties from events where type = 'flow.handed'`);
    expect(handed!.properties).toMatchObject({ to: 'next', orderId: 'o1', value: 40, currency: 'EUR' });
  });
});

describe('a person who leaves by the continue rule', () => {
  it('still reaches the goal within its window, as one of the control group would, and starts nothing else by it', async () => {
    await lab.addFlow(
      'cart',
      flowWith({
        triggers: [{ id: 's', kind: 'event', event: 'product.viewed', key: 'sku' }],
        stay: { test: 'didNot', event: 'app.opened', since: 'entry' },
        goal: { event: 'order.placed', within: 'P7D', ends: true },
        steps: [{ id: 'w', kind: 'wait', for: 'P5D' }, letter('late')],
      }),
    );
    await lab.tell(view('QF-1'));
    await lab.settle();
    await lab.pass('PT1M');
    await lab.tell(happening('app.opened', { person }));
    await lab.settle();
    expect(await query(lab.db, 'select phase, outcome, goal_at from runs')).toEqual([
      { phase: 'watching', outcome: 'left', goal_at: null },
    ]);
    await lab.pass('P1D');
    await lab.tell(order('o1'));
    await lab.settle();
    expect(await query(lab.db, 'select phase, outcome, goal_at is not null as reached from runs')).toEqual([
      { phase: 'ended', outcome: 'left', reached: true },
    ]);
    await lab.pass('P7D');
    expect(subjects()).toEqual([]);
  });
});

describe('a wait for an event', () => {
  it('takes one that is stamped with the whole second in which it began', async () => {
    await lab.addFlow(
      'waits',
      flowWith({
        steps: [
          {
            id: 'w',
            kind: 'wait',
            for: 'P2D',
            until: { event: 'parcel.delivered' },
            arms: [
              { id: 'arm-came', name: 'Came', when: null, steps: [letter('came')] },
              { id: 'arm-late', name: 'Late', when: null, steps: [letter('late')] },
            ],
          },
        ],
      }),
    );
    await lab.tell(order('o1'));
    await lab.settle();
    const [{ at } = { at: new Date() }] = await query<{ at: Date }>(lab.db, 'select wait_from as at from runs');
    const second = new Date(Math.floor(at.getTime() / 1000) * 1000).toISOString();
    await lab.tell(happening('parcel.delivered', { person }, { time: second }));
    await lab.pass('PT1H');
    expect(subjects()).toEqual(['came']);
  });
});
