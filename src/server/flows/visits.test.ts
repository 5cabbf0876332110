import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import type { Step } from '@/core/flows';
import { flowWith, letter } from '@/core/flows/testing/asking';
import type { Offer } from '@/core/offers';
import { connect, query } from '@/data/db';
import { clearLoopFailures, findStuckLoop, recordLoopFailure } from '@/data/work';
import { closeTask } from '../asks';
import { health, metrics } from '../metrics';
import { loadInto, putOffer } from '../offers';
import { moveRun } from '../people';
import { today } from '../today';
import { happening, openLab, type Lab } from '../testing/lab';
import { publishFlow, readFlow, tick, watchLoop, writeDraft } from '.';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await lab.empty('flows', 'flow_versions', 'offers', 'acts');
});

const order = (email: string, orderId = `o-${email}`) =>
  happening('order.placed', { orderId, value: 40, currency: 'EUR', person: { email, consent: { email: true } } });
const offer = (code: Offer['code']): Offer => ({
  schema: 'viatic.offer/1',
  name: 'Ten off',
  gives: { kind: 'percent', percent: 10 },
  currency: 'EUR',
  combines: false,
  expires: { after: 'P3D' },
  comesBack: true,
  who: null,
  guard: {},
  code,
});
const subjects = () => lab.inbox.map(({ subject }) => subject).sort();
const issue: Step = {
  id: 'code',
  kind: 'code',
  name: 'Ten',
  offer: 'ten',
  arms: [
    { id: 'yes', name: 'Has a code', when: null, steps: [letter('with-code')] },
    { id: 'no', name: 'Has none', when: null, steps: [letter('without-code')] },
  ],
};
const task: Step = {
  id: 'call',
  kind: 'task',
  name: 'Call',
  text: 'Call them',
  owner: { to: 'Marla' },
  within: 'P5D',
  arms: [
    { id: 'done', name: 'Done', when: null, steps: [letter('was-called')] },
    { id: 'late', name: 'Not done', when: null, steps: [letter('not-called')] },
  ],
};
const wait = (id: string, days: number): Step => ({ id, kind: 'wait', for: `P${days}D` });
const republish = async (key: string, steps: Step[]) => {
  const { draft } = await readFlow(lab.db, key);
  await writeDraft(lab.db, key, { ...draft, steps }, null);
  await publishFlow(lab.db, key, 'test', null, 'move');
};
const runOf = async (email: string) =>
  (
    await query<{ id: string; step: string | null; phase: string; broken: string | null }>(
      lab.db,
      'select r.id, r.step, r.phase, r.broken from runs r join people p on p.id = r.person_id where p.email = :email',
      { email },
    )
  )[0]!;
const issued = async () => (await query<{ n: number }>(lab.db, 'select count(*)::int as n from codes where issued_at is not null'))[0]!.n;

describe('a run that reaches a step again after a move', () => {
  it('passes by a step with paths on the path it took, and stops nobody else', async () => {
    await putOffer(lab.db, 'ten', offer({ prefix: 'FIN', letters: 6 }), 'test');
    await lab.addFlow('codes', flowWith({ steps: [issue, wait('w', 3), letter('last')] }));
    await lab.tell(order('a@example.com'));
    await lab.settle();
    expect(subjects()).toEqual(['with-code']);
    // the code step now comes after the wait at which the person is
    await republish('codes', [wait('w', 3), issue, letter('last')]);
    await lab.pass('P1D');
    await lab.tell(order('b@example.com'));
    await lab.pass('P3D');
    expect(await runOf('a@example.com')).toMatchObject({ phase: 'ended', broken: null });
    expect(await runOf('b@example.com')).toMatchObject({ phase: 'ended', broken: null });
    expect(await issued()).toBe(2);
    expect(subjects()).toEqual(['last', 'last', 'with-code', 'with-code']);
  });

  it('does again what comes after the step to which it is moved by hand: a message, and another code', async () => {
    await putOffer(lab.db, 'ten', offer({ prefix: 'FIN', letters: 6 }), 'test');
    await lab.addFlow('codes', flowWith({ steps: [letter('first'), issue, wait('w', 3)] }));
    await lab.tell(order('a@example.com'));
    await lab.settle();
    const { id } = await runOf('a@example.com');
    await moveRun(lab.db, id, { step: 'first' }, 'Marla');
    await lab.settle();
    expect(subjects()).toEqual(['first', 'first', 'with-code', 'with-code']);
    expect(await issued()).toBe(2);
    expect(await query(lab.db, 'select distinct visit from sends order by visit')).toEqual([{ visit: 1 }, { visit: 2 }]);
    // a version that is published afterwards repeats neither
    await republish('codes', [wait('w', 3), letter('first'), issue]);
    await lab.pass('P4D');
    expect(subjects()).toEqual(['first', 'first', 'with-code', 'with-code']);
    expect(await issued()).toBe(2);
  });

  it('keeps the answer of a task that was done before the move', async () => {
    await lab.addFlow('tasks', flowWith({ steps: [task, wait('w', 3), letter('last')] }));
    await lab.tell(order('a@example.com'));
    await lab.settle();
    const [ask] = await query<{ id: string }>(lab.db, `select id from asks where kind = 'task'`);
    await closeTask(lab.db, ask!.id, { state: 'done' }, 'Marla');
    await lab.pass('PT1H');
    expect(subjects()).toEqual(['was-called']);
    await republish('tasks', [wait('w', 3), task, letter('last')]);
    await lab.pass('P4D');
    expect(await runOf('a@example.com')).toMatchObject({ phase: 'ended' });
    expect(await query(lab.db, `select id from asks where kind = 'task'`)).toHaveLength(1);
    expect(subjects()).toEqual(['last', 'was-called']);
  });
});

describe('a run that cannot be stored', () => {
  it('is set aside, also after a unique violation, and the others go on', async () => {
    await lab.addFlow('plain', flowWith({ steps: [letter('hello')] }));
    await lab.tell([order('a@example.com'), order('bad@example.com'), order('c@example.com')]);
    const [bad] = await query<{ id: string }>(lab.db, `select id from people where email = 'bad@example.com'`);
    // a unique violation of its own: it comes again however often it is tried
    await query(
      lab.db,
      `create function refuse() returns trigger language plpgsql as $$ begin
         if new.person_id = ${bad!.id} then raise unique_violation; end if; return new; end $$`,
    );
    await query(lab.db, 'create trigger refuse before insert on sends for each row execute function refuse()');
    try {
      await lab.settle();
      expect(subjects()).toEqual(['hello', 'hello']);
      expect(await runOf('bad@example.com')).toMatchObject({ broken: expect.stringContaining('unique_violation') });
      expect(await tick(lab.db)).toBe(0);
    } finally {
      await query(lab.db, 'drop trigger refuse on sends');
      await query(lab.db, 'drop function refuse');
    }
  });
});

describe('loaded codes', () => {
  it('of two offers that are issued at the same moment come from each offer’s own', async () => {
    const codes = (prefix: string) => Array.from({ length: 20 }, (_, index) => `${prefix}${100 + index}`);
    for (const key of ['one', 'two']) {
      await putOffer(lab.db, key, offer({ loaded: true }), 'test');
      await loadInto(lab.db, key, { codes: codes(key.toUpperCase()) }, 'test');
      await lab.addFlow(`flow-${key}`, flowWith({ steps: [{ id: 'code', kind: 'code', name: 'Code', offer: key }] }));
    }
    await lab.tell(Array.from({ length: 5 }, (_, index) => order(`p${index}@example.com`)));
    await lab.settle();
    expect(
      await query(lab.db, `select offer, count(*)::int as n from codes where issued_at is not null group by offer order by offer`),
    ).toEqual([
      { offer: 'one', n: 5 },
      { offer: 'two', n: 5 },
    ]);
    expect(await query(lab.db, 'select 1 from runs where broken is not null')).toEqual([]);
  });
});

describe('a run loop that claims and does not finish', () => {
  it('counts as stuck from the third failure in a row until it succeeds', async () => {
    for (let failure = 1; failure <= 3; failure++) {
      expect(await findStuckLoop(lab.db)).toBeNull();
      await recordLoopFailure(lab.db, 'one', `failure ${failure}`);
    }
    expect(await findStuckLoop(lab.db)).toMatchObject({ failures: 3, error: 'failure 3' });
    expect(await health(lab.db)).toMatchObject({ status: 'failing', database: 'ok', runLoop: 'claims runs and does not finish' });
    expect((await metrics(lab.db)).text).toContain('viatic_run_loop_failures 3');
    expect((await today(lab.db, null, 'Marla')).attention).toContainEqual(
      expect.objectContaining({
        key: 'run-loop',
        level: 'stop',
        says: 'Flows have stopped: 3 attempts in a row to move people failed (failure 3).',
      }),
    );
    await clearLoopFailures(lab.db, 'one');
    expect(await findStuckLoop(lab.db)).toBeNull();
    expect(await health(lab.db)).toMatchObject({ runLoop: 'ok' });
  });

  it('is noticed while a pass hangs, and forgotten once it has finished', async () => {
    const db = connect(lab.url, 2);
    const watch = watchLoop(db, 20);
    try {
      let finish: () => void = () => {};
      const hanging = watch.pass(() => new Promise<void>((resolve) => (finish = resolve)));
      await expect.poll(() => findStuckLoop(lab.db), { timeout: 20_000 }).toMatchObject({ error: expect.stringContaining('not finished') });
      finish();
      await hanging;
      await expect.poll(() => findStuckLoop(lab.db), { timeout: 20_000 }).toBeNull();
    } finally {
      watch.stop();
      await db.destroy();
    }
  });
});
