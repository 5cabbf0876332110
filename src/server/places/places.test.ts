import { afterAll, beforeAll, expect, it } from 'vitest';
import { cartLeftBehind } from '@/demo';
import { query } from '@/data/db';
import { drain } from '../flows';
import { readStore } from '@/data/store';
import { directory, putSegment, segmentView } from '../people';
import { happening, openLab, type Lab } from '../testing/lab';
import {
  dropGroup,
  dropPlaces,
  dropRates,
  groupsView,
  placesView,
  placeView,
  ratesView,
  storeGroup,
  storePlaces,
  storeRates,
} from './places';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());

const who = async (rule: object): Promise<string[]> => {
  const url = new URL(`http://x/people?rule=${encodeURIComponent(JSON.stringify(rule))}`);
  return (await directory(lab.db, url)).people.map((one) => one.email!).sort();
};
const told = (email: string, more: object) => lab.tell(happening('page.viewed', { person: { email, ...more } }));
const errorsOf = (work: Promise<unknown>) =>
  work.then(
    () => [],
    (problem: { errors?: { field: string; wrong: string }[] }) => (problem.errors ?? []).map(({ field, wrong }) => `${field} ${wrong}`),
  );

it('places: loaded from a file, looked up however they are written, asked for by distance', async () => {
  await told('near@example.com', { country: 'NL', postcode: '1000 aa' });
  await told('far@example.com', { country: 'DE', postcode: '2000BB' });
  await told('nowhere@example.com', { country: 'NL', postcode: '9999ZZ' });
  const stored = await storePlaces(
    lab.db,
    { csv: '\ufeffPostcode;Country;Latitude;Longitude\n1000AA;Netherlands;52,37;4,90\n2000BB;DE;50;8\n' },
    't',
  );
  expect(stored).toEqual({
    total: 2,
    countries: [
      { country: 'DE', places: 1 },
      { country: 'NL', places: 1 },
    ],
  });
  expect(await placeView(lab.db, 'nl', '1000 aa')).toEqual({ country: 'NL', postcode: '1000AA', latitude: 52.37, longitude: 4.9 });
  const near = (is: boolean) => ({ test: 'near', name: 'location', place: { latitude: 52, longitude: 5 }, within: 30, unit: 'miles', is });
  expect(await who(near(true))).toEqual(['near@example.com']);
  // where somebody is has to be known for either answer
  expect(await who(near(false))).toEqual(['far@example.com']);
  await dropPlaces(lab.db, 'DE', 't');
  expect((await placesView(lab.db)).total).toBe(1);
  await expect(dropPlaces(lab.db, 'DE', 't')).rejects.toMatchObject({ status: 404 });
});

it('what cannot be read is said line by line, and nothing is stored', async () => {
  const before = await placesView(lab.db);
  expect(
    await errorsOf(storePlaces(lab.db, { csv: 'country,postcode,latitude,longitude\nAtlantis,1,2,3\nNL,2,91,3\nNL,,2,3\nNL,3,2,3' }, 't')),
  ).toEqual(['csv, line 2 “Atlantis” is not a country', 'csv, line 3 “91” is not a latitude', 'csv, line 4 has no postcode']);
  expect(await errorsOf(storePlaces(lab.db, { csv: 'country,latitude\nNL,2' }, 't'))).toEqual([
    'csv has no column postcode and none longitude',
  ]);
  expect(await errorsOf(storePlaces(lab.db, { csv: '"' }, 't'))).toHaveLength(1);
  expect(await placesView(lab.db)).toEqual(before);
});

it('rates: an order in another currency counts by the last rate of its day or before; another rate builds segments anew', async () => {
  const { now } = await readStore(lab.db);
  const day = (ago: number) => new Date(now - ago * 86_400_000).toISOString().slice(0, 10);
  await lab.tell(happening('order.placed', { orderId: 'usd', value: 100, currency: 'USD', person: { email: 'usd@example.com' } }));
  const rule = { test: 'orders', take: 'total', op: 'atLeast', value: 90, since: 'ever' } as const;
  await putSegment(lab.db, 'ninety', { schema: 'viatic.segment/1', name: 'Ninety', rule }, 't');
  await lab.settle();
  expect((await segmentView(lab.db, 'ninety')).size).toBe(0);
  expect(await storeRates(lab.db, { csv: `currency,day,rate\nUSD,${day(9)},0.95\nUSD,${day(-5)},0.5` }, 't')).toMatchObject({
    currency: 'EUR',
    rates: [{ currency: 'USD', days: 2, rate: 0.5 }],
  });
  expect(await who(rule)).toEqual(['usd@example.com']);
  await lab.settle();
  expect((await segmentView(lab.db, 'ninety')).size).toBe(1);
  await dropRates(lab.db, 'usd', 't');
  await lab.settle();
  expect((await segmentView(lab.db, 'ninety')).size).toBe(0);
  expect((await ratesView(lab.db)).rates).toEqual([]);
  expect(
    await errorsOf(
      storeRates(lab.db, { csv: 'currency,day,rate\nEUR,2026-01-01,1\nXXQ,2026-01-01,1\nUSD,2026-02-30,1\nUSD,2026-01-01,0' }, 't'),
    ),
  ).toEqual([
    'csv, line 2 EUR is the store’s own currency',
    'csv, line 3 “XXQ” is not a currency (ISO 4217)',
    'csv, line 4 “2026-02-30” is not a day such as 2026-11-24',
    'csv, line 5 “0” is not a rate from 0.000001 to 1,000,000',
  ]);
});

it('who is inside a flow that goes on only within a group leaves when the group changes', async () => {
  await storeGroup(lab.db, 'shipped', { name: 'Shipped', countries: ['NL', 'FR'] }, 't');
  await lab.addFlow('stays', {
    ...cartLeftBehind,
    name: 'Stays',
    triggers: [{ id: 'start', kind: 'event', event: 'order.placed', key: 'orderId' }],
    entry: null,
    stay: { test: 'country', name: 'country', group: 'shipped', member: true },
    goal: null,
    steps: [{ id: 'wait', kind: 'wait', for: 'P9D' }],
  });
  await lab.tell(
    happening('order.placed', { orderId: 'fr', value: 5, currency: 'EUR', person: { email: 'fr@example.com', country: 'FR' } }),
  );
  await drain(lab.db);
  const runs = () => query(lab.db, `select phase, outcome from runs where key = 'fr'`);
  expect(await runs()).toEqual([{ phase: 'inside', outcome: null }]);
  await storeGroup(lab.db, 'shipped', { name: 'Shipped', countries: ['NL'] }, 't');
  await drain(lab.db);
  expect(await runs()).toEqual([{ phase: 'ended', outcome: 'left' }]);
});

it('a segment that asks for what is not on file is refused with the place', async () => {
  const rule = {
    all: [
      { test: 'country', name: 'country', group: 'nowhere', member: true },
      {
        any: [
          { test: 'flow', flow: 'gone', was: 'inside', is: true },
          { test: 'topic', topic: 'gone', wants: true },
        ],
      },
    ],
  };
  expect(await errorsOf(putSegment(lab.db, 'gone', { schema: 'viatic.segment/1', name: 'Gone', rule }, 't'))).toEqual([
    'rule.all.0.group is not a country group on file: nowhere',
    'rule.all.1.any.0.flow is not a flow on file: gone',
    'rule.all.1.any.1.topic is not a topic on file: gone',
  ]);
});

it('a group of countries: by any name, asked for by its key, and not removed while a segment asks', async () => {
  await storeGroup(lab.db, 'benelux', { name: 'Benelux', countries: ['NL', 'Belgium', 'luxembourg'] }, 't');
  expect((await groupsView(lab.db)).groups).toContainEqual({ key: 'benelux', name: 'Benelux', codes: ['NL', 'BE', 'LU'] });
  const rule = { test: 'country', name: 'country', group: 'benelux', member: true } as const;
  expect(await who(rule)).toEqual(['near@example.com', 'nowhere@example.com']);
  await putSegment(lab.db, 'neighbours', { schema: 'viatic.segment/1', name: 'Neighbours', rule }, 't');
  await lab.settle();
  expect((await segmentView(lab.db, 'neighbours')).size).toBe(2);
  await expect(dropGroup(lab.db, 'benelux', 't')).rejects.toMatchObject({
    status: 409,
    message: expect.stringContaining('Neighbours') as string,
  });
  // who is in it follows when it changes
  await storeGroup(lab.db, 'benelux', { name: 'Benelux', countries: ['DE'] }, 't');
  await lab.settle();
  expect((await segmentView(lab.db, 'neighbours')).size).toBe(1);
  await query(lab.db, `update segments set archived_at = now() where key = 'neighbours'`);
  await dropGroup(lab.db, 'benelux', 't');
  expect(await who(rule)).toEqual([]);
  for (const [key, body] of [
    ['EU', { name: 'x', countries: ['NL'] }],
    ['eu', { name: 'x', countries: ['NL'] }],
    ['x', { name: 'x', countries: ['Atlantis'] }],
    ['x', {}],
  ] as const)
    await expect(storeGroup(lab.db, key, body, 't')).rejects.toMatchObject({ status: key.toLowerCase() === 'eu' ? 400 : 422 });
});
