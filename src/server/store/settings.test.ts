import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { query } from '@/data/db';
import { readTopics, saveDeclined } from '@/data/people';
import {
  addSuppressions,
  boxOf,
  checkoutBox,
  dropView,
  keepView,
  lift,
  saveCheckoutBox,
  storeTopics,
  suppressions,
  topics,
  views,
} from './settings';
import { happening, openLab, type Lab } from '../testing/lab';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(() => lab.empty('topics', 'views', 'settings', 'acts'));

const listed = async (params = '') => suppressions(lab.db, new URL(`http://x/?${params}`));
const acts = async () =>
  (await query<{ actor: string; what: string }>(lab.db, 'select actor, what from acts order by id')).map(
    (row) => `${row.actor} ${row.what}`,
  );

describe('the list of those never written to', () => {
  it('a page of it, newest first, with whose addresses they are; the first reason stays', async () => {
    await lab.tell(happening('page.viewed', { person: { email: 'a@example.com' } }));
    expect(await addSuppressions(lab.db, { addresses: ['A@Example.com ', 'b@example.com'], reason: 'asked by letter' }, 'Marla')).toEqual({
      added: 2,
      known: 0,
      wrong: [],
    });
    expect(await addSuppressions(lab.db, { addresses: ['a@example.com', 'c@example.com'] }, 'Marla')).toEqual({
      added: 1,
      known: 1,
      wrong: [],
    });
    const { total, suppressions: rows } = await listed();
    expect(total).toBe(3);
    expect(rows.find((row) => row.address === 'a@example.com')).toMatchObject({
      channel: 'email',
      reason: 'asked by letter',
      by: 'Marla',
      person: expect.stringMatching(/^~\d+$/),
    });
    expect(rows.find((row) => row.address === 'c@example.com')).toMatchObject({ reason: 'by hand', person: null });
    expect(await acts()).toEqual(['Marla suppressions.added', 'Marla suppressions.added']);
  });

  it('is searched by address and by reason, wildcards being themselves, and paged', async () => {
    await addSuppressions(
      lab.db,
      { addresses: [...Array.from({ length: 130 }, (_, n) => `n${n}@example.com`), '100%_sure@example.com'], reason: 'an old list' },
      'Marla',
    );
    expect(await listed('q=n12')).toMatchObject({ total: 11 });
    expect(await listed('q=100%25_')).toMatchObject({ total: 1, suppressions: [{ address: '100%_sure@example.com' }] });
    expect(await listed('q=OLD%20LIST')).toMatchObject({ total: 131 });
    const pages = [await listed(), await listed('offset=100')];
    expect(pages.map((page) => page.suppressions.length)).toEqual([100, 31]);
    expect(new Set(pages.flatMap((page) => page.suppressions.map((row) => row.address))).size).toBe(131);
    expect((await listed('offset=-5')).total).toBe(131);
    for (const offset of ['x', '1e99', '1.5'])
      await expect(listed(`offset=${offset}`)).rejects.toMatchObject({ status: 400, errors: [{ field: 'offset' }] });
  });

  it('takes phone numbers in their international form; what is none is answered with, and the rest is kept', async () => {
    expect(await addSuppressions(lab.db, { channel: 'sms', addresses: ['+31 6 12345678', '06 12345678', 'n/a', ''] }, 'Marla')).toEqual({
      added: 1,
      known: 0,
      wrong: ['06 12345678', 'n/a'],
    });
    expect((await listed()).suppressions).toMatchObject([{ channel: 'sms', address: '+31612345678' }]);
  });

  it.each([
    [{}, 'addresses'],
    [{ addresses: [] }, 'addresses'],
    [{ addresses: ['a@example.com'], channel: 'pigeon' }, 'channel'],
    [{ addresses: ['a@example.com'], reason: 'x' }, 'reason'],
    [null, 'body'],
  ])('%j is refused with the place, and nothing is kept', async (body, field) => {
    await expect(addSuppressions(lab.db, body, 'Marla')).rejects.toMatchObject({
      status: 422,
      errors: [expect.objectContaining({ field: expect.stringContaining(field === 'body' ? '' : field) })],
    });
    expect((await listed()).total).toBe(0);
  });

  it('is left by name of channel and address alone, with a reason that is written down', async () => {
    await addSuppressions(lab.db, { addresses: ['a@example.com'] }, 'Marla');
    await expect(lift(lab.db, 'sms', 'a@example.com', 'they asked', 'Marla')).rejects.toMatchObject({ status: 404 });
    await expect(lift(lab.db, 'post', 'a@example.com', 'they asked', 'Marla')).rejects.toMatchObject({ status: 404 });
    await expect(lift(lab.db, 'email', 'a@example.com', '  ', 'Marla')).rejects.toMatchObject({ status: 422, errors: [{ field: 'why' }] });
    await lift(lab.db, 'email', 'a@example.com', 'they asked on the phone', 'Marla');
    expect((await listed()).total).toBe(0);
    expect(await query(lab.db, `select detail from acts where what = 'suppression.lifted'`)).toEqual([
      { detail: { channel: 'email', why: 'they asked on the phone' } },
    ]);
  });
});

describe('the box of the checkout', () => {
  const rule = (ticked: boolean, wording: string) => ({ ticked, wording });

  it('is unticked until it is set, then by country; one that the law lets nobody tick is refused', async () => {
    expect(await boxOf(lab.db, 'NL')).toMatchObject({ country: 'NL', ticked: false });
    await saveCheckoutBox(lab.db, { everywhere: rule(true, 'Write to me'), countries: { DE: rule(false, 'Schreibt mir') } }, 'Marla');
    expect(await boxOf(lab.db, 'United States')).toEqual({ country: 'US', ticked: true, wording: 'Write to me' });
    expect(await boxOf(lab.db, 'Germany')).toEqual({ country: 'DE', ticked: false, wording: 'Schreibt mir' });
    // ticked everywhere else does not count where the law forbids it (C-673/17), nor for a country nobody knows
    expect(await boxOf(lab.db, 'NL')).toMatchObject({ ticked: false, wording: 'Write to me' });
    expect(await boxOf(lab.db, null)).toMatchObject({ country: null, ticked: false });
    await expect(
      saveCheckoutBox(lab.db, { everywhere: rule(false, 'x'), countries: { FR: rule(true, 'Oui') } }, 'Marla'),
    ).rejects.toMatchObject({ status: 422, errors: [{ field: 'countries.FR.ticked' }] });
    await expect(saveCheckoutBox(lab.db, { everywhere: rule(false, ''), countries: {} }, 'Marla')).rejects.toMatchObject({
      errors: [{ field: 'everywhere.wording' }],
    });
    expect((await checkoutBox(lab.db)).everywhere.wording).toBe('Write to me');
  });
});

describe('topics', () => {
  const topic = (key: string, name = key) => ({ key, name, about: '' });

  it('keep the order they were given; a no outlasts its topic, should that come back', async () => {
    await lab.tell(happening('page.viewed', {}, { subject: 'c1' }));
    const [person] = await query<{ id: string }>(lab.db, 'select id from people');
    await storeTopics(lab.db, { topics: [topic('plants'), topic('fish'), topic('news')] }, 'Marla');
    await saveDeclined(lab.db, person!.id, ['fish', 'news'], Date.now());
    expect(await storeTopics(lab.db, { topics: [topic('news', 'News'), topic('plants')] }, 'Marla')).toEqual({
      topics: [topic('news', 'News'), topic('plants')],
    });
    expect(await query(lab.db, 'select topic from declined_topics order by 1')).toEqual([{ topic: 'fish' }, { topic: 'news' }]);
    expect((await readTopics(lab.db)).map((one) => one.key)).toEqual(['news', 'plants']);
  });

  it.each([
    [{ topics: [topic('a'), topic('a')] }, /same key/],
    [{ topics: [topic('Not A Key')] }, /nothing was stored/i],
    [{ topics: [topic('a', ' ')] }, /nothing was stored/i],
    [{ topics: Array.from({ length: 31 }, (_, n) => topic(`t${n}`)) }, /nothing was stored/i],
    [{}, /nothing was stored/i],
    [null, /nothing was stored/i],
  ])('%j is refused and the old ones stay', async (body, words) => {
    await storeTopics(lab.db, { topics: [topic('plants')] }, 'Marla');
    await expect(storeTopics(lab.db, body, 'Marla')).rejects.toThrow(words);
    expect((await topics(lab.db)).topics).toHaveLength(1);
  });
});

describe('saved views', () => {
  it('are kept by name, two of a name too, and dropped once', async () => {
    await keepView(lab.db, { name: 'Germans', query: 'rule=x' }, 'Marla');
    const { views: kept } = await keepView(lab.db, { name: 'Austrians', query: '' }, 'Tom');
    expect(kept.map(({ name, by }) => [name, by])).toEqual([
      ['Austrians', 'Tom'],
      ['Germans', 'Marla'],
    ]);
    await dropView(lab.db, String(kept[0]!.id));
    expect((await views(lab.db)).views.map((view) => view.name)).toEqual(['Germans']);
    for (const id of [String(kept[0]!.id), 'x', '99999999999999999999', '-1'])
      await expect(dropView(lab.db, id)).rejects.toMatchObject({ status: 404 });
    await expect(keepView(lab.db, { name: '', query: '' }, 'Marla')).rejects.toMatchObject({ errors: [{ field: 'name' }] });
  });
});
