import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import type { BulkAct } from '@/core/api';
import { flowWith } from '@/core/flows/testing/asking';
import { query } from '@/data/db';
import { createList } from '@/data/people';
import { happening, openLab, type Lab } from '../testing/lab';
import { startBulk } from './acts';
import { doWork, stopWork, undoWork, work, workView } from './work';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab();
  await createList(lab.db, { key: 'keepers', name: 'Keepers', about: '', doubleOptIn: false, by: 'test' }, Date.now());
});
afterAll(() => lab.close());

/** Four people of whom each act finds some already as it would make them: those must not be touched by its undo. */
beforeEach(async () => {
  await lab.empty('erased_addresses', 'works', 'work_changes');
  await lab.tell([
    happening(
      'page.viewed',
      { person: { email: 'ada@example.com', country: 'NL', litres: 60, consent: { email: true } } },
      { subject: 'c1' },
    ),
    happening('page.viewed', { person: { email: 'ben@example.com', country: 'DE', consent: { email: false } } }, { subject: 'c2' }),
    happening(
      'page.viewed',
      { person: { email: 'cleo@example.com', litres: '60', consent: { email: true, sms: true } } },
      { subject: 'c3' },
    ),
    happening('page.viewed', { person: { firstName: 'Dirk' } }, { subject: 'c4' }),
  ]);
  await act({ act: 'tag', tag: 'breeder' }, 'q=ada', 1);
  await act({ act: 'list', list: 'keepers' }, 'q=ada', 1);
  await query(lab.db, `insert into suppressions (channel, address, reason, at) values ('email', 'ben@example.com', 'complained', now())`);
});

const context = () => ({
  db: lab.db,
  url: 'http://localhost',
  secret: 'x'.repeat(32),
  mailer: { send: async () => ({ taken: true as const }), close: () => {} },
});
const act = async (what: BulkAct, who: string, count: number) => {
  const id = await startBulk(lab.db, { do: what, who, count }, 'Marla');
  await doWork(context(), id);
  return workView(await work(lab.db, id));
};
const state = () =>
  query(
    lab.db,
    `
  select p.external_id, p.attributes, p.stamped, array(select tag from person_tags t where t.person_id = p.id order by 1) as tags, array(select l.key
    from list_members m join lists l on l.id = m.list_id where m.person_id = p.id) as lists,
    array(select channel || ' ' || state from consents c where c.person_id = p.id order by 1) as consents,
    array(select channel || ' ' || address || ' ' || reason from suppressions s where s.address = p.email order by 1) as suppressed from people p order by 1`,
  );

const ACTS: [string, BulkAct, number][] = [
  ['a tag', { act: 'tag', tag: 'breeder' }, 3],
  ['a tag taken off', { act: 'untag', tag: 'breeder' }, 1],
  ['a list', { act: 'list', list: 'keepers' }, 3],
  ['off a list', { act: 'unlist', list: 'keepers' }, 1],
  ['an attribute', { act: 'set', name: 'country', value: 'NL' }, 3],
  ['a number', { act: 'set', name: 'litres', value: 60 }, 3],
  ['an attribute taken away', { act: 'set', name: 'litres', value: null }, 2],
  ['a new attribute', { act: 'set', name: 'club', value: ['Waterstad', 'Zuid'] }, 4],
  ['never again', { act: 'suppress' }, 2],
];

describe('a bulk act', () => {
  it.each(ACTS)('%s: changes those who are otherwise, and undone everything is as it was', async (_what, what, changed) => {
    const before = await state();
    const done = await act(what, '', 4);
    expect(done).toMatchObject({ state: 'done', done: 4, result: { people: 4, changed } });
    const after = await state();
    expect(after.filter((row, index) => JSON.stringify(row) !== JSON.stringify(before[index]))).toHaveLength(changed);
    expect((await act(what, '', 4)).result).toMatchObject({ changed: 0 });
    await undoWork(context(), done.id, 'Marla');
    expect(await state()).toEqual(before);
    await expect(undoWork(context(), done.id, 'Marla')).rejects.toThrow();
  });

  it('an act that is cancelled before it begins does nothing', async () => {
    const before = await state();
    const id = await startBulk(lab.db, { do: { act: 'tag', tag: 'late' }, who: '', count: 4 }, 'Marla');
    await stopWork(lab.db, id);
    await doWork(context(), id);
    expect(workView(await work(lab.db, id)).state).not.toBe('done');
    expect(await state()).toEqual(before);
  });

  it('a value that a declared type cannot hold is refused and takes back what it had begun', async () => {
    await query(
      lab.db,
      `insert into attributes (name, type, is_declared) values ('litres', 'number', true) on conflict (name) do update set type = 'number', is_declared = true`,
    );
    const before = await state();
    const done = await act({ act: 'set', name: 'litres', value: 'many' }, '', 4);
    expect(done.state).toBe('failed');
    expect(done.says).toMatch(/litres is a number; “many” is none/);
    expect(await state()).toEqual(before);
  });

  it('consent in bulk carries how and who into the log of each who changed, and nobody else’s', async () => {
    await act({ act: 'consent', channel: 'email', state: 'given', how: 'signed at the fair in Waterstad' }, '', 4);
    const log = await query(
      lab.db,
      `select p.external_id, l.state, l.how, l.actor from consent_log l join people p on p.id = l.person_id where l.how like 'signed%' order by 1`,
    );
    expect(log).toEqual(
      ['c2', 'c4'].map((external_id) => ({ external_id, state: 'given', how: 'signed at the fair in Waterstad', actor: 'Marla' })),
    );
  });

  it('consent without a word how is refused, since it would prove nothing', async () => {
    await expect(act({ act: 'consent', channel: 'email', state: 'given', how: ' ' } as BulkAct, '', 4)).rejects.toMatchObject({
      status: 422,
      errors: [{ field: 'do.how' }],
    });
  });

  it('an address that somebody had put on the list by hand stays on it when the act is undone', async () => {
    await query(
      lab.db,
      `insert into suppressions (channel, address, reason, at, by) values ('email', 'ada@example.com', 'by hand', now(), 'Otto')`,
    );
    const done = await act({ act: 'suppress' }, '', 4);
    expect(done.result).toMatchObject({ changed: 1 });
    await undoWork(context(), done.id, 'Marla');
    expect(await query(lab.db, 'select address, by from suppressions order by 1')).toEqual([
      { address: 'ada@example.com', by: 'Otto' },
      { address: 'ben@example.com', by: null },
    ]);
  });

  it('all of them start a flow, as far as it lets them, once each; one that is not on is refused in words', async () => {
    const reached = { test: 'consent', channel: 'email', reachable: true };
    await lab.addFlow('hello-all', flowWith({ entry: reached, reentry: 'once', steps: [] } as Parameters<typeof flowWith>[0]));
    const done = await act({ act: 'start', flow: 'hello-all' }, '', 4);
    expect(done).toMatchObject({ state: 'done', says: 'Start the flow hello-all: done.', result: { people: 4, canUndo: false } });
    await lab.settle();
    const runs = await query<{ outcome: string; n: number }>(
      lab.db,
      `select outcome, count(*)::int as n from runs r join flows f on f.id = r.flow_id where f.key = 'hello-all' group by 1 order by 1`,
    );
    const reachable = (await query(lab.db, `select 1 from consents where channel = 'email' and state = 'given'`)).length;
    expect(runs).toEqual([
      { outcome: 'completed', n: reachable },
      { outcome: 'not-entered', n: 4 - reachable },
    ]);
    await act({ act: 'start', flow: 'hello-all' }, '', 4);
    await lab.settle();
    expect(await query(lab.db, `select count(*)::int as n from runs where outcome = 'completed'`)).toEqual([{ n: reachable }]);
    expect(await act({ act: 'start', flow: 'nowhere' }, '', 4)).toMatchObject({ state: 'failed' });
  });

  it('erasing that is cancelled says how many were erased by then: they cannot come back', async () => {
    const id = await startBulk(lab.db, { do: { act: 'erase' }, who: '', count: 4 }, 'Marla');
    await stopWork(lab.db, id);
    await doWork(context(), id);
    expect(workView(await work(lab.db, id))).toMatchObject({
      state: 'cancelled',
      says: 'Cancelled. 4 people were erased by then; the others are as they were.',
      canUndo: false,
    });
  });

  it('what an undone suppression leaves is what was there for another reason', async () => {
    const done = await act({ act: 'suppress' }, '', 4);
    await undoWork(context(), done.id, 'Marla');
    expect(await query(lab.db, 'select address, reason from suppressions')).toEqual([{ address: 'ben@example.com', reason: 'complained' }]);
  });
});
