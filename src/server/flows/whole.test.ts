import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { matchingOf } from '@/core/flows';
import { flowWith, letter } from '@/core/flows/testing/asking';
import { query } from '@/data/db';
import { makeList, membership } from '../people';
import { startMatching, doWork } from '../work';
import { happening, openLab, type Lab } from '../testing/lab';
import {
  archiveFlow,
  drain,
  dropStarter,
  listOfFlows,
  publishFlow,
  readFlow,
  restoreFlow,
  saveStarter,
  starters,
  switchFlow,
  writeDraft,
} from '.';

let lab: Lab;
let key = '';
let count = 0;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  key = `whole-${(count += 1)}`;
  await query(lab.db, `update flows set state = 'archived'`);
  await lab.empty('starters');
});

const flow = (more: object = {}) =>
  flowWith({ name: 'Whole', reentry: 'once-per-key', steps: [{ id: 'w', kind: 'wait', for: 'P1D' }, letter('after')], ...more });
const order = (orderId: string) =>
  happening('order.placed', { orderId, value: 9, currency: 'EUR', person: { email: `${orderId}@example.com`, consent: { email: true } } });

describe('a flow that is put away', () => {
  it('lets nobody in, whoever is inside leaves, and it comes back paused with its versions', async () => {
    await lab.addFlow(key, flow());
    await lab.tell([order('o1'), order('o2')]);
    await drain(lab.db);
    expect((await readFlow(lab.db, key)).inside).toBe(2);
    expect((await archiveFlow(lab.db, key, 'Marla')).state).toBe('archived');
    expect((await listOfFlows(lab.db)).flows.map((one) => one.key)).not.toContain(key);
    expect((await listOfFlows(lab.db, true)).flows.map((one) => one.key)).toContain(key);
    await lab.tell(order('o3'));
    await lab.pass('P2D');
    expect(lab.inbox).toEqual([]);
    expect(await query(lab.db, `select outcome, count(*)::int as n from runs group by 1`)).toEqual([{ outcome: 'left', n: 2 }]);
    expect(await query(lab.db, `select distinct saw from traces where kind = 'left'`)).toEqual([
      { saw: { by: 'Marla, who archived the flow' } },
    ]);
    await expect(publishFlow(lab.db, key, 'm')).rejects.toMatchObject({ status: 409 });
    await expect(switchFlow(lab.db, key, 'on', 'm')).rejects.toMatchObject({ status: 409 });
    expect(await restoreFlow(lab.db, key, 'Marla')).toMatchObject({ state: 'paused', version: 1, inside: 0 });
    await switchFlow(lab.db, key, 'on', 'Marla');
    await lab.tell(order('o4'));
    await lab.pass('P2D');
    expect(lab.inbox).toHaveLength(1);
  });

  it('a draft that was never on comes back as the draft', async () => {
    await writeDraft(lab.db, key, flow({ tags: ['summer'], owner: 'Marla', stage: 'loyal', description: 'For those who stay' }), null);
    await archiveFlow(lab.db, key, 'm');
    expect((await restoreFlow(lab.db, key, 'm')).state).toBe('draft');
    expect((await listOfFlows(lab.db)).flows).toMatchObject([
      { key, tags: ['summer'], owner: 'Marla', stage: 'loyal', description: 'For those who stay' },
    ]);
    await expect(archiveFlow(lab.db, 'nowhere', 'm')).rejects.toMatchObject({ status: 404 });
  });
});

describe('a starter of the store’s own', () => {
  it('is the flow as it is on, without what belongs to that flow alone, and stands before the others', async () => {
    await lab.addFlow(key, flow({ window: { to: '2030-01-01' } }));
    await writeDraft(lab.db, key, { ...flow(), steps: [letter('changed')] }, null);
    const { key: kept } = await saveStarter(lab.db, { flow: key, name: 'Our way', says: 'It waits. Then it writes.' }, 'Marla');
    const { starters: all } = await starters(lab.db);
    expect(all[0]).toMatchObject({ key: kept, name: 'Our way', needs: ['order.placed'], own: { by: 'Marla' } });
    expect(all[0]!.document).toMatchObject({ name: 'Our way', steps: [{ id: 'w' }, { id: 'after' }] });
    expect(all[0]!.document.window).toBeUndefined();
    expect(all.length).toBeGreaterThan(10);
    // one of the same name has a key of its own, and so has one that is called like those that are always there
    expect((await saveStarter(lab.db, { flow: key, name: 'Our way', says: 'x' }, 'm')).key).not.toBe(kept);
    await dropStarter(lab.db, kept, 'm');
    expect((await starters(lab.db)).starters.map((one) => one.key)).not.toContain(kept);
    await expect(dropStarter(lab.db, 'birthday', 'm')).rejects.toMatchObject({ status: 404 });
    await expect(saveStarter(lab.db, { flow: 'nowhere', name: 'x', says: 'y' }, 'm')).rejects.toMatchObject({ status: 404 });
  });
});

describe('who belongs in a flow already', () => {
  const joined = (where: object[], event = 'list.joined') => ({
    triggers: [{ id: 's', kind: 'event', event, key: null, where }],
    reentry: 'once',
  });
  const isList = (value: string) => ({ property: 'list', op: 'is', value });
  const of = (more: object) => matchingOf(flow(more));

  it('are those in what they would have joined, for whom the entry rule holds; nobody where that cannot be told', () => {
    const member = { test: 'list', list: 'club', member: true };
    const entry = { test: 'attribute', name: 'country', op: 'is', value: 'NL' };
    expect(of(joined([isList('club')]))).toEqual(member);
    expect(of({ ...joined([isList('club')]), entry })).toEqual({ all: [member, entry] });
    expect(of({ entry })).toBeNull();
    expect(of({})).toBeNull();
    expect(of({ entry: { test: 'trigger', property: 'value', op: 'atLeast', value: 5 } })).toBeNull();
    expect(of(joined([]))).toBeNull();
    expect(of(joined([{ property: 'segment', op: 'is', value: 'vip' }], 'segment.joined'))).toEqual({
      test: 'segment',
      segment: 'vip',
      member: true,
    });
  });

  it('enter as long work, each as the flow says who may start', async () => {
    await lab.tell(
      ['a', 'b', 'c', 'd'].map((name) =>
        happening('account.created', { person: { email: `${name}@example.com`, keeper: name !== 'c', consent: { email: true } } }),
      ),
    );
    // all but the last are on the list, and of those all but one are what the entry rule asks for
    const { key: club } = await makeList(lab.db, { name: 'Club' }, 'Marla');
    for (const { id } of await query<{ id: string }>(lab.db, 'select id from people order by id limit 3'))
      await membership(lab.db, `~${id}`, club, true, 'Marla');
    await drain(lab.db);
    const document = flow({
      ...joined([isList(club)]),
      entry: { test: 'attribute', name: 'keeper', op: 'is', value: true },
      steps: [letter('hello')],
    });
    await lab.addFlow(key, document);
    const begin = async () => {
      const work = (await startMatching(lab.db, key, matchingOf(document)!, 'Marla'))!;
      await doWork({ db: lab.db, url: '', secret: '', mailer: { send: () => Promise.reject(new Error('no')), close: () => {} } }, work.id);
      return work;
    };
    expect((await begin()).people).toBe(2);
    await lab.settle();
    expect(lab.inbox.map(({ to }) => [to].flat()[0]!.value[0]!.address).sort()).toEqual(['a@example.com', 'b@example.com']);
    await begin();
    await lab.settle();
    expect(lab.inbox).toHaveLength(2);
  });
});
