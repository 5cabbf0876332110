import { afterAll, beforeAll, beforeEach, expect, it } from 'vitest';
import { query } from '@/data/db';
import { attributeList, declareAttribute, renameAttribute, respellAttribute, retire, valuesOf } from './attributes';
import { forgetAttributes } from '../ingest';
import { happening, openLab, type Lab } from '../testing/lab';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab();
});
afterAll(() => lab.close());
beforeEach(async () => {
  await query(lab.db, 'truncate people, identifiers, weak_claims, consents, event_keys, events, attributes cascade');
  forgetAttributes(lab.db);
});

const say = (email: string, person: object, time?: string) =>
  lab.tell(happening('page.viewed', { person: { email, ...person } }, time ? { time } : {}));
const on = async (name: string) =>
  (await query<{ value: unknown }>(lab.db, 'select attributes->:name as value from people order by email', { name })).map(
    (row) => row.value,
  );

it('are discovered with the type they look like, and counted with what uses them', async () => {
  await say('a@example.com', { tanks: 2, vip: true, born: '1990-04-03', note: 'x', country: 'NL', firstName: 'Ada' });
  const { attributes } = await attributeList(lab.db);
  expect(Object.fromEntries(attributes.map((one) => [one.name, one.type]))).toMatchObject({
    tanks: 'number',
    vip: 'yesno',
    born: 'date',
    note: 'text',
  });
  // uncounted it is the same list, at once
  expect((await attributeList(lab.db, false)).attributes).toEqual(attributes.map((one) => ({ ...one, people: null, kinds: {} })));
  expect(attributes.find((one) => one.name === 'firstName')).toMatchObject({
    people: 1,
    uses: expect.arrayContaining([expect.objectContaining({ kind: 'message', name: 'Cart left behind' })]),
  });
});

it('a declared type brings what arrives into one form; what does not fit is kept and shows', async () => {
  await declareAttribute(lab.db, 'tanks', { type: 'number' }, 'test');
  await say('a@example.com', { tanks: '1.250,5' });
  await say('b@example.com', { tanks: 'many' });
  expect(await on('tanks')).toEqual([1250.5, 'many']);
  expect((await attributeList(lab.db)).attributes.find((one) => one.name === 'tanks')).toMatchObject({
    isDeclared: true,
    kinds: { number: 1, string: 1 },
  });
  await expect(declareAttribute(lab.db, '1st', { type: 'text' }, 'test')).rejects.toMatchObject({ errors: [{ field: 'name' }] });
  await expect(declareAttribute(lab.db, 'email', { type: 'number' }, 'test')).rejects.toThrow('Viatic lives by');
});

it('renamed, what is on file moves, and what the shop goes on sending lands under the new name', async () => {
  await say('a@example.com', { nr_tanks: 2 });
  expect(await renameAttribute(lab.db, 'nr_tanks', { to: 'tanks' }, 'test')).toEqual({ people: 1 });
  await say('b@example.com', { nr_tanks: 5 });
  expect(await on('tanks')).toEqual([2, 5]);
  expect(await on('nr_tanks')).toEqual([null, null]);
});

it('merged, the newer word wins where a person has both; one that is used cannot go', async () => {
  await say('a@example.com', { size: 'small' }, '2026-11-01T10:00:00Z');
  await say('a@example.com', { tankSize: 'big' }, '2026-11-02T10:00:00Z');
  await say('b@example.com', { size: 'small' }, '2026-11-01T10:00:00Z');
  await renameAttribute(lab.db, 'size', { to: 'tankSize' }, 'test');
  expect(await on('tankSize')).toEqual(['big', 'small']);
  await expect(renameAttribute(lab.db, 'none', { to: 'other' }, 'test')).rejects.toMatchObject({ status: 404 });
  await expect(renameAttribute(lab.db, 'firstName', { to: 'name' }, 'test')).rejects.toThrow('keeps its name');
});

it('retired, what is on file stays and nothing more is taken in, until it is brought back', async () => {
  await say('a@example.com', { hobby: 'plants' });
  await retire(lab.db, 'hobby', true, 'test');
  await say('b@example.com', { hobby: 'fish' });
  expect(await on('hobby')).toEqual(['plants', null]);
  await retire(lab.db, 'hobby', false, 'test');
  await say('b@example.com', { hobby: 'fish' });
  expect(await on('hobby')).toEqual(['plants', 'fish']);
});

it('spellings of the same are pointed out and brought into one', async () => {
  for (const [n, country] of ['NL', 'Netherlands', 'netherlands', 'DE'].entries()) await say(`p${n}@example.com`, { country });
  const { groups } = await valuesOf(lab.db, 'country');
  expect(groups).toMatchObject([{ keep: 'NL', variants: [{ value: 'NL' }, { value: 'Netherlands' }, { value: 'netherlands' }] }]);
  await query(
    lab.db,
    `insert into runs (person_id, flow_id, version, key, phase, armed_at, entered_at, wakes_on)
      select id, 1, 1, '', 'inside', now(), now(), '{attribute/country}' from people`,
  );
  expect(
    await respellAttribute(lab.db, 'country', { groups: [{ keep: 'NL', variants: groups[0]!.variants.map((one) => one.value) }] }, 'test'),
  ).toEqual({ people: 2 });
  expect(await on('country')).toEqual(['NL', 'NL', 'NL', 'DE']);
  // flows that wait for a country look again at those whose country it became, and at nobody else
  expect(
    (
      await query<{ email: string }>(
        lab.db,
        'select p.email from runs r join people p on p.id = r.person_id where r.wake_at is not null order by 1',
      )
    ).map((row) => row.email),
  ).toEqual(['p1@example.com', 'p2@example.com']);
  expect((await valuesOf(lab.db, 'country')).groups).toEqual([]);
});
