import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { BacktestView } from '@/core/api';
import { changeStep, type FlowDocument, type Step } from '@/core/flows';
import { NO_LIMITS } from '@/core/limits';
import { query } from '@/data/db';
import { findWork } from '@/data/work';
import { cartLeftBehind } from '../../demo/flows';
import { writeLimits } from '../sending';
import { cart, happening, openLab, type Lab } from '../testing/lab';
import { namedInBacktest, startBacktest } from './backtests';
import type { Mailer } from '../messages';
import { doWork } from './work';

const noMailer: Mailer = { send: () => Promise.reject(new Error('no mail')), close: () => undefined };
let lab: Lab;
let from: string;
beforeAll(async () => {
  lab = await openLab();
  from = new Date((await lab.now()) - 60_000).toISOString();
  await lab.tell([cart('a@example.com', 50), cart('b@example.com', 150), cart('c@example.com', 30), cart('d@example.com', 90)]);
  await lab.pass('PT30M');
  await lab.tell(
    happening('order.placed', {
      orderId: 'o1',
      cartId: 'cart-of-c@example.com',
      value: 30,
      currency: 'EUR',
      person: { email: 'c@example.com' },
    }),
  );
  await lab.pass('PT2H');
  await lab.tell(
    happening('order.placed', {
      orderId: 'o2',
      cartId: 'cart-of-d@example.com',
      value: 90,
      currency: 'EUR',
      person: { email: 'd@example.com' },
    }),
  );
  await lab.pass('P4D');
});
afterAll(() => lab.close());

const backtest = async (more: object = {}, key = 'cart-left-behind'): Promise<BacktestView> => {
  const to = new Date(await lab.now()).toISOString();
  const { id } = await startBacktest(lab.db, key, { from, to, ...more }, 'Marla');
  await doWork({ db: lab.db, mailer: noMailer, url: 'http://x', secret: 'x' }, id);
  const row = (await findWork(lab.db, id))!;
  expect(row.state).toBe('done');
  return row.result as unknown as BacktestView;
};

describe('a backtest', () => {
  it('of the published version over the time in which it was on equals what really happened', async () => {
    const result = await backtest();
    const [real] = await query<{ entered: number; sends: number }>(
      lab.db,
      'select (select count(*)::int from runs where entered_at is not null) as entered, (select count(*)::int from sends) as sends',
    );
    expect(result).toMatchObject({ people: 4, entered: real!.entered, compared: real, control: 0 });
    expect(result.sends.reduce((sum, { count }) => sum + count, 0)).toBe(real!.sends);
    expect(result.goalReached).toBe(1);
    expect(result.notEntered).toEqual([{ because: 'placed an order for it', people: 1 }]);
    const bySteps = await query<{ step: string; count: number }>(
      lab.db,
      'select step_id as step, count(*)::int as count from sends group by 1 order by 1',
    );
    const counted = new Map<string, number>();
    for (const { step, count } of result.sends) counted.set(step, (counted.get(step) ?? 0) + count);
    expect([...counted].map(([step, count]) => ({ step, count })).sort((a, b) => a.step.localeCompare(b.step))).toEqual(bySteps);
    const arms = await query<{ arm: string; people: number }>(
      lab.db,
      'select arm, count(*)::int as people from traces where arm is not null group by 1 order by 1',
    );
    // who they were, and what each of them passed: as many as entered, and by name
    expect(result.who).toHaveLength(real!.entered);
    const passed = new Map<string, number>();
    for (const { passed: those } of result.who) for (const one of those) passed.set(one, (passed.get(one) ?? 0) + 1);
    for (const { step, count } of bySteps) expect(passed.get(step), step).toBe(count);
    const named = await namedInBacktest(lab.db, [...result.who.map(({ person }) => person), '999999', 'x'].join());
    expect(named.map(({ name }) => name).sort()).toEqual(['a@example.com', 'b@example.com', 'd@example.com']);
    expect(result.arms.map(({ arm, people }) => ({ arm, people })).sort((a, b) => a.arm.localeCompare(b.arm))).toEqual(arms);
  });

  it('counts who entered after its beginning, by a silence that had begun before it', async () => {
    const [cuts] = await query<{ began: Date; entered: Date }>(
      lab.db,
      `select (select min(time) from events where type = 'cart.updated') as began, (select min(entered_at) from runs) as entered`,
    );
    const between = new Date((cuts!.began.getTime() + cuts!.entered.getTime()) / 2).toISOString();
    const inTheMiddle = await backtest({ from: between });
    expect(inTheMiddle.entered).toBe(3);
    expect(inTheMiddle.entered).toBe(inTheMiddle.compared!.entered);
    expect(inTheMiddle.sends.reduce((sum, { count }) => sum + count, 0)).toBe(inTheMiddle.compared!.sends);
    const later = await backtest({ from: new Date(cuts!.entered.getTime() + 60_000).toISOString() });
    expect(later).toMatchObject({ entered: 0, compared: { entered: 0, sends: 0 }, sends: [], notEntered: [] });
  });

  it('of another document shows what would have been, and stores nothing but its counts', async () => {
    const before = await query(lab.db, 'select (select count(*)::int from events) as events, (select count(*)::int from runs) as runs');
    const longer = changeStep(cartLeftBehind, 'a-day', (step) => ({ ...step, for: 'P20D' }) as Step);
    const result = await backtest({ document: longer });
    expect(result.peopleBy).toMatchObject([{ step: 'a-day', people: 2 }]);
    expect(result.sends.every(({ step }) => step !== 'reminder')).toBe(true);
    expect(await query(lab.db, 'select (select count(*)::int from events) as events, (select count(*)::int from runs) as runs')).toEqual(
      before,
    );
  });

  it('with what people are assumed to do: all who get the first mail order, so nobody gets the second', async () => {
    const result = await backtest({ assume: { open: 100, click: 100, order: 100, value: 50 } });
    expect(result.assumed).toEqual({ open: 100, click: 100, order: 100, value: 50 });
    expect(result.sends.every(({ step }) => step !== 'reminder')).toBe(true);
    expect(result.goalReached).toBe(result.entered);
  });

  it('refuses times that are none, and can be stopped', async () => {
    const later = new Date((await lab.now()) + 86_400_000).toISOString();
    await expect(startBacktest(lab.db, 'cart-left-behind', { from: later, to: from }, 't')).rejects.toMatchObject({
      errors: [{ field: 'to' }],
    });
    await expect(startBacktest(lab.db, 'cart-left-behind', { from, to: later }, 't')).rejects.toMatchObject({ errors: [{ field: 'to' }] });
    await expect(startBacktest(lab.db, 'nowhere', { from, to: new Date(await lab.now()).toISOString() }, 't')).rejects.toMatchObject({
      status: 404,
    });
    const { id } = await startBacktest(lab.db, 'cart-left-behind', { from, to: new Date(await lab.now()).toISOString() }, 't');
    await query(lab.db, 'update works set asked_to_stop = true where id = :id', { id });
    await doWork({ db: lab.db, mailer: noMailer, url: 'http://x', secret: 'x' }, id);
    expect((await findWork(lab.db, id))!.state).toBe('cancelled');
  });

  it('goes on from what the flow had really done by its beginning: who had been in it, and what it had sent', async () => {
    const flow: FlowDocument = {
      ...cartLeftBehind,
      name: 'Good morning',
      triggers: [{ id: 'start', kind: 'event', event: 'app.morning', key: null }],
      stay: null,
      reentry: { after: 'P14D' },
      goal: null,
      steps: cartLeftBehind.steps.filter((step) => step.kind === 'send'),
    };
    const lately = await lab.now();
    await writeLimits(lab.db, { ...NO_LIMITS, caps: [{ channel: 'email', most: 1, per: 'P30D' }] }, 't');
    await lab.addFlow('good-morning', flow);
    const morning = () => lab.tell(happening('app.morning', { person: { email: 'm@example.com', consent: { email: true } } }));
    await morning();
    await lab.pass('P2D');
    const begins = await lab.now();
    await lab.pass('P2D');
    await morning();
    await lab.pass('P12D');
    await morning();
    await lab.pass('P1D');
    const whole = await backtest({ from: new Date(lately).toISOString() }, 'good-morning');
    expect(whole).toMatchObject({ entered: 2, compared: { entered: 2, sends: 1 } });
    const later = await backtest({ from: new Date(begins).toISOString() }, 'good-morning');
    expect(later).toMatchObject({
      entered: 1,
      compared: { entered: 1, sends: 0 },
      sends: [],
      notEntered: [{ because: 'has been in this flow not long enough ago', people: 1 }],
      skipped: [{ count: 1 }],
    });
    // who had come in shortly before it is neither let in once more nor counted among those who were not
    const soon = await backtest({ from: new Date(lately + 30 * 60_000).toISOString() }, 'good-morning');
    expect(soon).toMatchObject({ entered: 1, compared: { entered: 1, sends: 0 }, ended: { completed: 1, 'not-entered': 1 } });
  });
});
