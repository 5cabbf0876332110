import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { flowWith, letter } from '@/core/flows/testing/asking';
import type { FlowDocument, TestStep } from '@/core/flows';
import { query } from '@/data/db';
import { findFlow, readVersion, saveDraft } from '@/data/flows';
import { moveClockTo } from '@/data/store';
import { DAY } from '@/core/time';
import { testView } from '../revenue';
import { happening, openLab, type Lab } from '../testing/lab';
import { decideTests, drain, keepTestArm, flowReport, versionsOf } from '.';

let lab: Lab;
let key = '';
let count = 0;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  key = `test-${(count += 1)}`;
  await query(lab.db, `update flows set state = 'paused'`);
  await lab.empty();
});

const which = (more: Partial<TestStep> = {}): TestStep => ({
  id: 'which',
  kind: 'test',
  name: 'Which subject',
  per: 'person',
  arms: [
    { id: 'one', name: 'One way', when: null, share: 50, steps: [letter('first')] },
    { id: 'two', name: 'The other', when: null, share: 50, steps: [letter('second')] },
  ],
  decide: { people: 50 },
  ...more,
});
const flowOf = (step: TestStep): FlowDocument =>
  flowWith({
    name: 'Decides',
    reentry: 'once',
    triggers: [{ id: 'start', kind: 'event', event: 'form.submitted', key: null }],
    goal: { event: 'order.placed', within: 'P7D', ends: false },
    steps: [step, letter('after')],
  });

/** So many people enter, and of each arm so many reach the goal. */
async function live(people: number, reach: { readonly [arm: string]: number }): Promise<void> {
  await lab.tell(
    Array.from({ length: people }, (_, n) =>
      happening('form.submitted', { formId: 'f', person: { email: `p${n}@example.com`, consent: { email: true } } }),
    ),
  );
  await drain(lab.db);
  for (const [arm, share] of Object.entries(reach))
    await query(
      lab.db,
      `update runs r set goal_at = entered_at from (select id, row_number() over (order by id) as n, count(*) over () as of from runs
         where arms @> array[cast(:arm as text)]) a where a.id = r.id and a.n <= cast(:share as float8) * a.of`,
      { arm, share },
    );
}
const pass = async (days: number) => moveClockTo(lab.db, (await lab.now()) + days * DAY);
const current = async () => {
  const flow = (await findFlow(lab.db, key))!;
  return { version: flow.version, ids: (await readVersion(lab.db, flow.id, flow.version!)).steps.map(({ id }) => id), draft: flow.draft };
};

describe('a test that decides by itself', () => {
  it('keeps the arm that surely reaches the goal more often, as a new version, once people’s time is over', async () => {
    await lab.addFlow(key, flowOf(which()));
    await live(200, { one: 0.4, two: 0.1 });
    // the time of nobody is over yet
    expect(await decideTests(lab.db)).toBe(0);
    await pass(8);
    expect(await decideTests(lab.db)).toBe(1);
    expect(await current()).toMatchObject({ version: 2, ids: ['first', 'after'], draft: { steps: [{ id: 'first' }, { id: 'after' }] } });
    const { versions } = await versionsOf(lab.db, key);
    expect(versions[0]).toMatchObject({ version: 2, by: 'test “Which subject”' });
    expect(await query(lab.db, `select detail from acts where what = 'test.decided' order by at desc limit 1`)).toEqual([
      { detail: { key, step: 'which', arm: 'one' } },
    ]);
    expect(await decideTests(lab.db)).toBe(0);
    // the published version has no test any more: its verdict is that of the version that has
    expect(await testView(lab.db, key, 'which')).toMatchObject({
      ahead: 'one',
      decidedAt: expect.any(String),
      says: expect.stringMatching(/^“One way” is the winner/),
    });
  });

  it('that shows no difference is looked at once, says so, and goes on; another form of it is another test', async () => {
    await lab.addFlow(key, flowOf(which()));
    await live(200, { one: 0.2, two: 0.22 });
    await pass(8);
    expect(await decideTests(lab.db)).toBe(1);
    expect(await current()).toMatchObject({ version: 1, ids: ['which', 'after'] });
    const { steps } = await flowReport(lab.db, key, new URL('http://x/'));
    expect(steps[0]!.decided).toMatchObject({ arm: null, arms: [{ id: 'one' }, { id: 'two' }] });
    // it is not looked at again, however it goes on
    await query(lab.db, `update runs set goal_at = entered_at where arms @> array['one']`);
    expect(await decideTests(lab.db)).toBe(0);
    // with another number it is another test, counted from then on
    const flow = (await findFlow(lab.db, key))!;
    await saveDraft(lab.db, key, flowOf(which({ decide: { people: 60 } })), null, await lab.now());
    expect(flow.version).toBe(1);
    const { publishFlow } = await import('.');
    await publishFlow(lab.db, key, 'Marla');
    await pass(8);
    expect(await decideTests(lab.db)).toBe(0);
    expect((await flowReport(lab.db, key, new URL('http://x/'))).steps[0]!.decided).toBeUndefined();
  });

  it('leaves what somebody has changed in the draft meanwhile, without the test', async () => {
    await lab.addFlow(key, flowOf(which()));
    const changed = flowOf(which());
    await saveDraft(lab.db, key, { ...changed, name: 'Renamed', steps: [...changed.steps, letter('new')] }, null, await lab.now());
    await live(200, { one: 0.1, two: 0.5 });
    await pass(8);
    await decideTests(lab.db);
    const { ids, draft } = await current();
    expect(ids).toEqual(['second', 'after']);
    expect([draft.name, draft.steps.map(({ id }) => id)]).toEqual(['Renamed', ['second', 'after', 'new']]);
  });

  it('of two tests at once the one without a difference stays, and versions are numbered without a gap', async () => {
    const other = which({ id: 'other', name: 'Another', arms: which().arms.map((arm) => ({ ...arm, id: `${arm.id}-o`, steps: [] })) });
    await lab.addFlow(key, { ...flowOf(which()), steps: [other, which(), letter('after')] });
    await live(200, { one: 0.6, two: 0.05 });
    await query(
      lab.db,
      `update runs r set goal_at = case when l.n % 2 = 0 then r.entered_at end from (select id,
      row_number() over (partition by arms order by id) as n from runs where arms @> array['one']) l where l.id = r.id`,
    );
    await pass(8);
    expect(await decideTests(lab.db)).toBe(2);
    expect(await current()).toMatchObject({ version: 2, ids: ['other', 'first', 'after'] });
    expect((await versionsOf(lab.db, key)).versions.map(({ version }) => version)).toEqual([2, 1]);
  });

  it('waits for enough people in each arm, and decides nothing while the flow is paused', async () => {
    await lab.addFlow(key, flowOf(which({ decide: { people: 150 } })));
    await live(200, { one: 0.9, two: 0 });
    await pass(8);
    expect(await decideTests(lab.db)).toBe(0);
    await query(lab.db, `update flows set state = 'paused'`);
    expect(await decideTests(lab.db)).toBe(0);
  });
});

describe('so many entries a day', () => {
  const perDay = (beyond: 'wait' | 'drop') => ({ ...flowOf(which()), steps: [letter('hello')], perDay: { most: 30, beyond } });
  const entered = async () =>
    query<{ day: string; n: number }>(
      lab.db,
      `select cast(entered_at at time zone 'Europe/Amsterdam' as date)::text as day, count(*)::int as n from runs where entered_at is not null
       group by 1 order by 1`,
    );
  const submit = (from: number, to: number) =>
    lab.tell(
      Array.from({ length: to - from }, (_, n) =>
        happening('form.submitted', { formId: 'f', person: { email: `p${from + n}@example.com`, consent: { email: true } } }),
      ),
    );

  it('are never more, whichever workers let people in; the others come on the days after', async () => {
    await lab.addFlow(key, perDay('wait'));
    await submit(0, 70);
    await Promise.all([drain(lab.db), drain(lab.db)]);
    await drain(lab.db);
    expect((await entered()).map(({ n }) => n)).toEqual([30]);
    await submit(70, 80);
    await pass(1);
    await drain(lab.db);
    expect((await entered()).map(({ n }) => n)).toEqual([30, 30]);
    await pass(1);
    await drain(lab.db);
    expect((await entered()).map(({ n }) => n)).toEqual([30, 30, 20]);
    // in the order in which they came
    expect(
      await query(
        lab.db,
        `select max(p.id) < (select min(q.id) from people q join runs s on s.person_id = q.id
      where s.entered_at > (select min(entered_at) from runs) + interval '1 hour') as first from people p join runs r on r.person_id = p.id
      where r.entered_at <= (select min(entered_at) from runs) + interval '1 hour'`,
      ),
    ).toEqual([{ first: true }]);
  });

  it('those beyond do not enter where it says so', async () => {
    await lab.addFlow(key, perDay('drop'));
    await submit(0, 40);
    await drain(lab.db);
    await pass(2);
    await drain(lab.db);
    expect((await entered()).map(({ n }) => n)).toEqual([30]);
    expect(await query(lab.db, `select count(*)::int as n from traces where kind = 'not-entered' and saw ->> 'full' = '30'`)).toEqual([
      { n: 10 },
    ]);
  });
});

describe('a test that is ended by hand', () => {
  it('is published with the arm that is kept; what has been changed in the draft meanwhile stays there', async () => {
    await lab.addFlow(key, flowOf(which()));
    const flow = (await findFlow(lab.db, key))!;
    await saveDraft(lab.db, key, { ...flow.draft, name: 'Another name' }, null, await lab.now());
    await expect(keepTestArm(lab.db, key, 'which', { arm: 'three' }, 'Marla')).rejects.toMatchObject({ status: 422 });
    await expect(keepTestArm(lab.db, key, 'after', { arm: 'two' }, 'Marla')).rejects.toMatchObject({ status: 404 });
    expect(await keepTestArm(lab.db, key, 'which', { arm: 'two' }, 'Marla')).toEqual({ version: 2 });
    const after = await current();
    expect([after.version, after.ids]).toEqual([2, ['second', 'after']]);
    expect([after.draft.name, after.draft.steps.map(({ id }) => id)]).toEqual(['Another name', ['second', 'after']]);
    const acts = await query<{ what: string }>(lab.db, `select what from acts where detail ->> 'key' = :key order by id desc limit 2`, {
      key,
    });
    expect(acts.map(({ what }) => what).sort()).toEqual(['flow.published', 'test.decided']);
  });
});
