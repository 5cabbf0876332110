import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import type { CardOf } from '@/core/cards';
import { query } from '@/data/db';
import { makeList } from '../people';
import { acts } from '../team';
import { openLab, type Lab } from '../testing/lab';
import { cards, writeCard } from '.';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(() => lab.empty('cards', 'lists', 'acts'));

const of = (kind: CardOf) => cards(lab.db, new URL(`http://x/?kind=${kind}`));

describe('what things are for', () => {
  it('is written, read by kind with the tags there are, and what it said before stands in the log', async () => {
    const { key } = await makeList(lab.db, { name: 'Keepers', about: '', doubleOptIn: false }, 'Marla');
    await writeCard(lab.db, 'list', key, { owner: 'Ines Halm', tags: ['winter', 'club'] }, 'Marla');
    await writeCard(lab.db, 'list', key, { owner: 'Tom Brandt', tags: ['winter', 'club'] }, 'Marla');
    expect(await of('list')).toMatchObject({
      cards: [{ key, about: '', owner: 'Tom Brandt', tags: ['winter', 'club'] }],
      tags: ['club', 'winter'],
    });
    expect((await of('offer')).cards).toEqual([]);
    expect((await acts(lab.db, new URL('http://x/?what=card'))).acts[0]!.changes).toEqual([
      { of: 'cards', key, was: { owner: 'Ines Halm' }, is: { owner: 'Tom Brandt' } },
    ]);
  });

  it('is refused of what is not there, and what is no card', async () => {
    const { key } = await makeList(lab.db, { name: 'Keepers', about: '', doubleOptIn: false }, 'Marla');
    for (const [kind, one] of [
      ['list', 'nosuch'],
      ['flow', key],
      ['constructor', key],
    ] as const)
      await expect(writeCard(lab.db, kind, one, {}, 'Marla')).rejects.toMatchObject({ status: 404 });
    await expect(writeCard(lab.db, 'list', key, { owner: 'x'.repeat(121) }, 'Marla')).rejects.toMatchObject({ status: 422 });
    await expect(cards(lab.db, new URL('http://x/?kind=person'))).rejects.toMatchObject({ status: 400 });
    expect(await query(lab.db, 'select 1 from cards')).toEqual([]);
  });
});
