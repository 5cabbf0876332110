import fc from 'fast-check';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { query } from '@/data/db';
import { addToList, findList, listGrowth, removeFromList } from '@/data/people';
import { editList, listView, lists, makeList, membership, putAway } from './lists';
import { happening, openLab, type Lab } from '../testing/lab';

let lab: Lab;
let people: string[] = [];
beforeAll(async () => {
  lab = await openLab({ flow: null });
  await lab.tell(['a', 'b', 'c', 'd'].map((subject) => happening('page.viewed', {}, { subject })));
  people = (await query<{ id: string }>(lab.db, 'select id from people order by id')).map((row) => row.id);
});
afterAll(() => lab.close());
beforeEach(() => query(lab.db, 'truncate lists, list_members, list_log, events, event_keys cascade'));

const make = (name: string, more: object = {}) => makeList(lab.db, { name, ...more }, 'Marla');

describe('a list', () => {
  it('gets a key from its name, and another where that is taken', async () => {
    expect((await make('Größere Becken & mehr')).key).toBe('gro-ere-becken-mehr');
    expect((await make('Größere Becken & mehr')).key).toBe('gro-ere-becken-mehr-2');
    expect((await make('魚')).key).toBe('list');
    expect((await make('Décor, élégant')).key).toBe('decor-elegant');
    expect((await lists(lab.db)).lists).toHaveLength(4);
  });

  it.each([
    [{ name: '  ' }, 'name'],
    [{ name: 'x'.repeat(81) }, 'name'],
    [{ name: 'A', doubleOptIn: 'yes' }, 'doubleOptIn'],
    [{}, 'name'],
  ])('%j is refused with the place', async (body, field) => {
    await expect(makeList(lab.db, body, 'Marla')).rejects.toMatchObject({ status: 422, errors: [{ field }] });
    expect((await lists(lab.db)).lists).toEqual([]);
  });

  it('keeps its people while it is renamed or put away, and takes nobody while it is away', async () => {
    const { key } = await make('Keepers');
    await membership(lab.db, 'a', key, true, 'Marla');
    expect(await editList(lab.db, key, { name: 'Plant keepers', about: 'who grows plants' }, 'Marla')).toMatchObject({
      key,
      name: 'Plant keepers',
      about: 'who grows plants',
      people: 1,
    });
    await putAway(lab.db, key, true, 'Marla');
    await expect(listView(lab.db, key)).rejects.toMatchObject({ status: 404 });
    await expect(membership(lab.db, 'b', key, true, 'Marla')).rejects.toMatchObject({ status: 404 });
    await putAway(lab.db, key, false, 'Marla');
    expect(await listView(lab.db, key)).toMatchObject({ people: 1 });
    await expect(putAway(lab.db, 'nowhere', true, 'Marla')).rejects.toMatchObject({ status: 404 });
  });

  it('on it or off it twice is once: one event, one line in its log', async () => {
    const { key } = await make('Keepers');
    for (let i = 0; i < 2; i++) expect(await membership(lab.db, 'a', key, true, 'Marla')).toEqual({ state: 'on' });
    for (let i = 0; i < 2; i++) expect(await membership(lab.db, 'a', key, false, 'Marla')).toEqual({ state: 'off' });
    expect(await query(lab.db, 'select act, how from list_log order by at, act')).toEqual([
      { act: 'joined', how: 'by Marla' },
      { act: 'left', how: 'by Marla' },
    ]);
    expect(
      await query(lab.db, `select type, properties->>'list' as list from events where type like 'list.%' order by time, type`),
    ).toEqual([
      { type: 'list.joined', list: key },
      { type: 'list.left', list: key },
    ]);
  });

  it('with double opt-in refuses somebody who has no address to be asked at', async () => {
    const { key } = await make('Letter', { doubleOptIn: true });
    await expect(membership(lab.db, 'a', key, true, 'Marla')).rejects.toThrow(/no email address/);
    expect(await listView(lab.db, key)).toMatchObject({ people: 0, waiting: 0 });
  });
});

describe('how a list has grown', () => {
  const on = async (key: string, moves: readonly (readonly [at: string, person: number, isOn: boolean])[]) => {
    const list = (await findList(lab.db, key))!;
    for (const [at, who, isOn] of moves) await (isOn ? addToList : removeFromList)(lab.db, list.id, [people[who]!], 'test', Date.parse(at));
    return (from: string, to: string, zone = 'Europe/Amsterdam') => listGrowth(lab.db, list.id, Date.parse(from), Date.parse(to), zone);
  };

  it('by the store’s local day: a minute before midnight there is another day than in UTC', async () => {
    const { key } = await make('Keepers');
    const grown = await on(key, [
      ['2026-11-10T22:59:00Z', 0, true],
      ['2026-11-10T23:00:00Z', 1, true],
      ['2026-11-11T12:00:00Z', 0, false],
    ]);
    expect(await grown('2026-11-10T12:00:00Z', '2026-11-11T12:00:00Z')).toEqual([
      { day: '2026-11-10', joined: 1, left: 0, people: 1 },
      { day: '2026-11-11', joined: 1, left: 1, people: 1 },
    ]);
    expect(await grown('2026-11-10T12:00:00Z', '2026-11-11T12:00:00Z', 'UTC')).toEqual([
      { day: '2026-11-10', joined: 2, left: 0, people: 2 },
      { day: '2026-11-11', joined: 0, left: 1, people: 1 },
    ]);
  });

  it('the days on which the clocks change are there once each, none is left out', async () => {
    // Europe/Amsterdam: summer time ends on 2026-10-25 and began on 2026-03-29 (IANA time zone database)
    const { key } = await make('Keepers');
    const grown = await on(key, [
      ['2026-10-25T00:30:00Z', 0, true],
      ['2026-10-25T01:30:00Z', 1, true],
      ['2026-10-25T23:30:00Z', 2, true],
    ]);
    expect((await grown('2026-10-24T10:00:00Z', '2026-10-26T10:00:00Z')).map((one) => [one.day, one.joined])).toEqual([
      ['2026-10-24', 0],
      ['2026-10-25', 2],
      ['2026-10-26', 1],
    ]);
    expect((await grown('2026-03-28T22:59:00Z', '2026-03-29T22:30:00Z')).map((one) => one.day)).toEqual([
      '2026-03-28',
      '2026-03-29',
      '2026-03-30',
    ]);
  });

  it('who was on it before the first day counts from the first day on', async () => {
    const { key } = await make('Keepers');
    const grown = await on(key, [
      ['2026-01-01T12:00:00Z', 0, true],
      ['2026-01-02T12:00:00Z', 1, true],
      ['2026-01-03T12:00:00Z', 1, false],
    ]);
    expect(await grown('2026-11-10T12:00:00Z', '2026-11-11T12:00:00Z')).toMatchObject([{ people: 1 }, { people: 1 }]);
  });

  it('law: each day’s people are those of the day before, with who joined and without who left', async () => {
    const move = fc.tuple(fc.integer({ min: 0, max: 9 * 24 - 1 }), fc.integer({ min: 0, max: 3 }), fc.boolean());
    await fc.assert(
      fc.asyncProperty(fc.array(move, { maxLength: 12 }), async (moves) => {
        await query(lab.db, 'truncate lists, list_members, list_log cascade');
        const { key } = await make('Keepers');
        const start = Date.parse('2026-11-01T00:00:00Z');
        const grown = await on(
          key,
          [...moves]
            .sort((a, b) => a[0] - b[0])
            .map(([hour, who, isOn]) => [new Date(start + hour * 3_600_000).toISOString(), who, isOn] as const),
        );
        const days = await grown('2026-11-03T12:00:00Z', '2026-11-12T12:00:00Z', 'UTC');
        for (let i = 1; i < days.length; i++) expect(days[i]!.people).toBe(days[i - 1]!.people + days[i]!.joined - days[i]!.left);
        expect(days.at(-1)!.people).toBe((await listView(lab.db, key)).people);
      }),
      { numRuns: 15 },
    );
  });
});
