import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { query } from '@/data/db';
import { forgetOld } from '@/data/sources';
import { DAY } from '@/core/time';
import { changeConsent } from './consent';
import { allAbout, eraseById } from './erase';
import { attributeList, declareAttribute } from './attributes';
import { exportFile } from '../work';
import { forgetAttributes } from '../ingest';
import { ledgerPage, revenueReport } from '../revenue';
import { cart, happening, openLab, type Lab } from '../testing/lab';
import { consentRecord, editPerson, enterConsent, personView, putPerson, recordEvent, startFlow, tagPerson, whyNot } from '.';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab();
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await lab.empty('erased_counts', 'erased_addresses', 'acts', 'attributes', 'unkept_names', 'rejections', 'event_values');
});

const url = (params = '') => new URL(`http://x/?${params}`);
const robin = async (more: object = {}) => {
  await lab.tell(
    happening(
      'page.viewed',
      { person: { email: 'robin@example.com', firstName: 'Robin', country: 'NL', consent: { email: true }, ...more } },
      { subject: 'c1' },
    ),
  );
  return 'c1';
};
const attributes = async (id = 'c1') => (await personView(lab.db, id)).attributes;

describe('more attributes than there may be', () => {
  const many = (count: number, prefix = 'a') => Object.fromEntries(Array.from({ length: count }, (_, n) => [`${prefix}${n}`, n]));

  it('4,000 in one request are refused in words, at once; 500 are written at once', async () => {
    await robin();
    const began = performance.now();
    await expect(editPerson(lab.db, 'c1', { attributes: many(4000) }, 'Marla')).rejects.toMatchObject({
      status: 422,
      errors: [{ field: 'attributes' }],
    });
    await expect(putPerson(lab.db, 'c1', { attributes: many(4000) })).rejects.toMatchObject({ status: 422 });
    await editPerson(lab.db, 'c1', { attributes: many(490) }, 'Marla');
    expect(performance.now() - began).toBeLessThan(5000);
    await expect(editPerson(lab.db, 'c1', { attributes: many(20, 'b') }, 'Marla')).rejects.toMatchObject({
      status: 422,
      errors: [{ field: 'attributes' }],
    });
    expect(Object.keys(await attributes())).toHaveLength(493);
  });

  it.each(['', ' ', 'x'.repeat(81), '9', 'a b'])('%j is no name by hand, and in an event it stays with the event', async (name) => {
    await robin();
    await expect(editPerson(lab.db, 'c1', { attributes: { [name]: 'x' } }, 'Marla')).rejects.toMatchObject({ status: 422 });
    expect(await lab.tell(happening('page.viewed', { person: { [name]: 'kept', tanks: 2 } }, { subject: 'c1' }))).toMatchObject({
      accepted: 1,
    });
    expect(await attributes()).toMatchObject({ tanks: 2 });
    expect(Object.keys(await attributes())).not.toContain(name);
    const [event] = await query<{ properties: { person: Record<string, unknown> } }>(
      lab.db,
      `select properties from events where properties->'person' is not null`,
    );
    expect(event!.properties.person).toEqual({ [name]: 'kept' });
    expect((await attributeList(lab.db)).unkept).toMatchObject([{ name: expect.any(String), events: 1 }]);
  });

  it('a person has at most 500 and the store takes over at most 5,000 names, however they come; files still go out', async () => {
    await query(lab.db, 'delete from unkept_names');
    for (let person = 0; person < 12; person++)
      await lab.tell(happening('page.viewed', { person: many(700, `p${person}n`) }, { subject: `many${person}` }));
    expect(await query(lab.db, `select max((select count(*) from jsonb_object_keys(attributes)))::int as most from people`)).toEqual([
      { most: 500 },
    ]);
    const { attributes: all, unkept, most } = await attributeList(lab.db);
    expect([all.length, most]).toEqual([5000, 5000]);
    expect(unkept.length).toBeGreaterThan(100);
    const [lost] = await query<{ n: number }>(
      lab.db,
      `select sum((select count(*) from jsonb_object_keys(properties->'person')))::int as n from events where type = 'page.viewed'`,
    );
    // 12 times 700, less the 10 times 500 that were taken over: nothing is lost
    expect(lost!.n).toBe(12 * 700 - 5000);
    const { body } = await exportFile(lab.db, url('what=people&format=csv'));
    let text = '';
    for await (const part of body) text += String(part);
    const [head, ...rows] = text.trim().split('\n');
    expect([head!.split(',').length > 5000, rows.length]).toEqual([true, 12]);
    expect(
      rows
        .find((row) => row.startsWith('many3,'))!
        .split(',')
        .filter((cell) => /^\d+$/.test(cell)).length,
    ).toBeGreaterThanOrEqual(500);
  });

  it('two people of 500 each are joined in no time, and the one has at most 500', async () => {
    forgetAttributes(lab.db);
    await lab.tell([
      happening('page.viewed', { person: { email: 'a@example.com', ...many(499, 'x') } }, { subject: 'j1' }),
      happening('page.viewed', { person: { email: 'b@example.com', ...many(499, 'y') } }, { subject: 'j2' }),
    ]);
    const began = performance.now();
    await lab.tell(happening('page.viewed', { person: { email: 'b@example.com' } }, { subject: 'j1' }));
    expect(performance.now() - began).toBeLessThan(5000);
    expect(await query(lab.db, `select (select count(*) from jsonb_object_keys(attributes))::int as n from people`)).toEqual([{ n: 500 }]);
  });
});

describe('a person written through the API', () => {
  it('is made, and changed where something is said; what is left out stays', async () => {
    await putPerson(lab.db, 'c9', {
      email: 'kim@example.com',
      attributes: { points: 12, plan: 'pro' },
      consent: { email: true, how: 'app sign-up' },
    });
    await putPerson(lab.db, 'c9', { firstName: 'Kim', attributes: { points: 13 } });
    expect(await attributes('c9')).toEqual({ email: 'kim@example.com', firstName: 'Kim', points: 13, plan: 'pro' });
    expect((await consentRecord(lab.db, 'c9')).log).toMatchObject([{ channel: 'email', state: 'given', how: 'app sign-up' }]);
  });

  it.each([
    [{ email: 'no address' }, 'email'],
    [{ zone: 'Mars/Olympus' }, 'zone'],
    [{ firstName: 'x'.repeat(300) }, 'firstName'],
    [{ attributes: { deep: 'a\u0000b' } }, 'deep'],
    [{ age: 3 }, 'age'],
  ])('%j is refused with the place, and nobody is made', async (body, field) => {
    await expect(putPerson(lab.db, 'c9', body)).rejects.toMatchObject({
      status: 422,
      errors: [expect.objectContaining({ field: expect.stringContaining(field === 'age' ? '' : field) })],
    });
    await expect(personView(lab.db, 'c9')).rejects.toMatchObject({ status: 404 });
  });
});

describe('attributes edited by hand', () => {
  it('are brought into the form that is declared; what does not fit is refused whole', async () => {
    const id = await robin();
    await declareAttribute(lab.db, 'tanks', { type: 'number' }, 'Marla');
    await editPerson(lab.db, id, { attributes: { tanks: '1.250,5', note: 'likes shrimp' } }, 'Marla');
    expect(await attributes()).toMatchObject({ tanks: 1250.5, note: 'likes shrimp' });
    await expect(editPerson(lab.db, id, { attributes: { note: 'gone', tanks: 'many' } }, 'Marla')).rejects.toMatchObject({
      status: 422,
      errors: [{ field: 'tanks', wrong: 'is no number' }],
    });
    expect(await attributes()).toMatchObject({ tanks: 1250.5, note: 'likes shrimp' });
  });

  it('a phone number is read by the country they are in, and is theirs from then on', async () => {
    const id = await robin();
    await editPerson(lab.db, id, { attributes: { phone: '06 12345678' } }, 'Marla');
    expect(await attributes()).toMatchObject({ phone: '+31612345678' });
    await lab.tell(happening('lesson.finished', { person: { phone: '+31 6 12345678' } }));
    expect((await query<{ n: number }>(lab.db, 'select count(*)::int as n from people'))[0]!.n).toBe(1);
    await expect(editPerson(lab.db, id, { attributes: { phone: '12' } }, 'Marla')).rejects.toMatchObject({ errors: [{ field: 'phone' }] });
  });

  it('the only thing somebody is known by is not taken away', async () => {
    await lab.tell(happening('page.viewed', { person: { email: 'kim@example.com' } }));
    const [{ id } = { id: '' }] = await query<{ id: string }>(lab.db, 'select id from people');
    await expect(editPerson(lab.db, `~${id}`, { attributes: { email: null } }, 'Marla')).rejects.toMatchObject({
      errors: [{ field: 'email' }],
    });
    await robin();
    await editPerson(lab.db, 'c1', { attributes: { email: null, firstName: '' } }, 'Marla');
    expect(await attributes()).toEqual({ country: 'NL' });
  });

  it.each([
    [{}],
    [{ attributes: { '1st': 'x' } }],
    [{ attributes: { 'a b': 'x' } }],
    [{ attributes: [] }],
    [null],
    [{ attributes: { note: 'x\ud800' } }],
  ])('%j is refused', async (body) => {
    await robin();
    await expect(editPerson(lab.db, 'c1', body, 'Marla')).rejects.toMatchObject({ status: 422 });
    expect(await attributes()).toEqual({ email: 'robin@example.com', firstName: 'Robin', country: 'NL' });
  });
});

describe('events and tags by hand', () => {
  it('an event is theirs, and starts what it would start', async () => {
    await robin();
    await recordEvent(lab.db, 'c1', { type: 'cart.updated', data: { cartId: 'k1', currency: 'EUR', value: 30 } });
    await lab.pass('PT1H');
    expect(lab.inbox.map((mail) => mail.subject)).toEqual(['You left something in your cart']);
    await expect(recordEvent(lab.db, 'c1', { type: 'cart.updated', data: { cartId: 'k1' } })).rejects.toMatchObject({
      status: 422,
      errors: expect.arrayContaining([expect.objectContaining({ field: 'data.currency' })]),
    });
    await expect(recordEvent(lab.db, 'c1', { type: 'message.opened', data: {} })).rejects.toMatchObject({ status: 422 });
    await lab.tell(happening('page.viewed', { person: { device: 'device-0001' } }));
    const [{ id } = { id: '' }] = await query<{ id: string }>(lab.db, 'select id from people where not is_known');
    await expect(recordEvent(lab.db, `~${id}`, { type: 'page.viewed' })).rejects.toThrow('only a device is known');
  });

  it('a tag is put on once and taken off; what is no tag is refused', async () => {
    await robin();
    for (let i = 0; i < 2; i++) await tagPerson(lab.db, 'c1', ' vip ', true, 'Marla');
    expect((await personView(lab.db, 'c1')).tags).toEqual(['vip']);
    await tagPerson(lab.db, 'c1', 'vip', false, 'Marla');
    expect((await personView(lab.db, 'c1')).tags).toEqual([]);
    for (const tag of ['', ' ', 'x'.repeat(61), 'a\u0000'])
      await expect(tagPerson(lab.db, 'c1', tag, true, 'Marla')).rejects.toMatchObject({ status: 422, errors: [{ field: 'tag' }] });
  });

  it('consent needs a word on how it came about', async () => {
    await robin();
    await expect(enterConsent(lab.db, 'c1', { channel: 'sms', state: 'given', how: '' }, 'Marla')).rejects.toMatchObject({
      errors: [expect.objectContaining({ field: 'how' })],
    });
    await expect(enterConsent(lab.db, 'c1', { channel: 'pigeon', state: 'given', how: 'at the fair' }, 'Marla')).rejects.toMatchObject({
      errors: [expect.objectContaining({ field: 'channel' })],
    });
    expect((await consentRecord(lab.db, 'c1')).log).toHaveLength(1);
  });
});

describe('why somebody did not get something', () => {
  it('follows them from never to inside to through', async () => {
    const answer = async () => (await whyNot(lab.db, 'c1', 'cart-left-behind')).answer;
    await robin();
    expect(await answer()).toBe('not-started');
    await lab.tell(cart('robin@example.com', 150, { cartId: 'k1' }));
    await lab.pass('PT2H');
    expect(await answer()).toBe('inside');
    await lab.pass('P9D');
    const why = await whyNot(lab.db, 'c1', 'cart-left-behind');
    expect(why).toMatchObject({ answer: 'through', says: expect.stringMatching(/^They have been through\./) });
    expect(why.runs.map((run) => run.says)).toEqual(expect.arrayContaining([expect.stringContaining('Your tank is waiting')]));
    await expect(whyNot(lab.db, 'c1', 'nothing-of-ours')).rejects.toMatchObject({ status: 404 });
    await expect(startFlow(lab.db, 'c1', 'nothing-of-ours', 'Marla')).rejects.toMatchObject({ status: 404 });
  });
});

describe('everything about one person, and nothing of them', () => {
  it('what they may have names each thing on file; erased, all of it is gone but for what leads back to nobody', async () => {
    await robin({ phone: '+31612345678' });
    await lab.tell([
      cart('robin@example.com', 150, { cartId: 'k1' }),
      happening('order.placed', { orderId: 'o1', currency: 'EUR', value: 140 }, { subject: 'c1' }),
    ]);
    await lab.tell(cart('robin@example.com', 80, { cartId: 'k2' }));
    await lab.pass('PT2H');
    await tagPerson(lab.db, 'c1', 'vip', true, 'Marla');
    await changeConsent(lab.db, (await query<{ id: string }>(lab.db, 'select id from people'))[0]!.id, {
      channels: { sms: 'given' },
      detail: { how: 'at the fair' },
    });
    const all = await allAbout(lab.db, 'c1');
    expect(Object.fromEntries(Object.entries(all).map(([name, rows]) => [name, rows.length]))).toMatchObject({
      person: 1,
      identifiers: 3,
      consent: 2,
      tags: 1,
      orders: 1,
      messages: 1,
    });
    expect(JSON.stringify(all)).toContain('robin@example.com');

    const takings = (await revenueReport(lab.db, url())).takings;
    await eraseById(lab.db, 'c1', 'Marla');
    await expect(personView(lab.db, 'c1')).rejects.toMatchObject({ status: 404 });
    expect((await revenueReport(lab.db, url())).takings).toBe(takings);
    expect((await ledgerPage(lab.db, url())).orders).toMatchObject([
      { email: null, net: 14_000, orderId: expect.stringMatching(/^erased-/) },
    ]);
    // no table holds a word of theirs
    const tables = await query<{ name: string }>(
      lab.db,
      `select table_name as name from information_schema.tables where table_schema = 'public' and table_type = 'BASE TABLE'`,
    );
    for (const { name } of tables) {
      const found = await query(
        lab.db,
        `select t::text as row from "${name}" t where t::text ~* 'robin|31612345678|\\mc1\\M|\\mk1\\M|\\mo1\\M'`,
      );
      expect(found, name).toEqual([]);
    }
    // and time that passes brings nothing to them
    await lab.pass('P3D');
    expect(lab.inbox.filter((mail) => mail.subject?.includes('shelf'))).toEqual([]);
  });

  it('what was kept as it came is forgotten after 30 days, in which a request has to be met', async () => {
    const now = await lab.now();
    await lab.tell(happening('order.placed', { orderId: 'x', person: { email: 'robin@example.com' } }));
    expect(await query(lab.db, `select 1 from rejections where raw like '%robin@example.com%'`)).toHaveLength(1);
    const [work] = await query<{ id: string }>(
      lab.db,
      `insert into works (kind, name, state, by, created_at, detail) values ('import', 'f.csv', 'done', 'Marla', :at, '{}') returning id`,
      { at: new Date(now) },
    );
    await query(lab.db, `insert into bad_rows (work_id, row, cells, problems) values (:id, 1, '["robin@example.com"]', '[]')`, {
      id: work!.id,
    });
    const kept = async () =>
      (
        await query<{ n: number }>(
          lab.db,
          `select (select count(*) from rejections where raw like '%robin@%')::int + (select count(*) from bad_rows)::int as n`,
        )
      )[0]!.n;
    await forgetOld(lab.db, now + 29 * DAY);
    expect(await kept()).toBe(2);
    await forgetOld(lab.db, now + 31 * DAY);
    expect(await kept()).toBe(0);
  });
});
