import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { flowWith, letter } from '@/core/flows/testing/asking';
import type { Step } from '@/core/flows';
import { readStore } from '@/data/store';
import { rehearse } from '../rehearsal';
import { happening, openLab, type Lab } from '../testing/lab';
import { putTable, removeTable, restoreTable, rowsOfTable, tables, tableView } from '.';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await lab.empty('flows', 'flow_versions', 'lookup_tables');
});

const CSV = 'Country;Carrier;Days of travel\nNL;Bike courier;1\nde;Parcel van;3\nBE;;2\n';
const load = (csv = CSV, keyColumn = 'Country', key = 'delivery') => putTable(lab.db, key, { name: 'Delivery', keyColumn, csv }, 'Marla');
const rows = async (query = '') => (await rowsOfTable(lab.db, 'delivery', new URL(`http://x/?${query}`))).rows;
const lookup: Step = { id: 'way', kind: 'lookup', name: 'How it travels', table: 'delivery', by: { attribute: 'country' } };
const flow = flowWith({
  name: 'Travels',
  triggers: [{ id: 'start', kind: 'event', event: 'order.placed', key: 'orderId' }],
  steps: [
    lookup,
    {
      ...letter('travels'),
      message: { ...letter('travels').message, subject: 'By {{ answers.way.Carrier }} in {{ answers.way.Days_of_travel }}' },
    },
  ],
});
const order = (orderId: string, country: string) =>
  happening('order.placed', {
    orderId,
    value: 20,
    currency: 'EUR',
    person: { email: `${orderId}@example.com`, country, consent: { email: true } },
  });

describe('a table', () => {
  it('is loaded from a CSV, with numbers as numbers, and its rows can be searched', async () => {
    expect(await load()).toMatchObject({
      version: 1,
      rows: 3,
      keyColumn: 'Country',
      columns: ['Country', 'Carrier', 'Days_of_travel'],
      changedBy: 'Marla',
    });
    expect(await rows()).toEqual([
      { Country: 'NL', Carrier: 'Bike courier', Days_of_travel: 1 },
      { Country: 'de', Carrier: 'Parcel van', Days_of_travel: 3 },
      { Country: 'BE', Carrier: null, Days_of_travel: 2 },
    ]);
    expect((await rows('q=van')).map(({ Country }) => Country)).toEqual(['de']);
  });

  it('where anything cannot be kept nothing is, and what is wrong is said with its line', async () => {
    await load();
    const problems = async (csv: string, keyColumn = 'Country') =>
      load(csv, keyColumn).then(
        () => [],
        (error: { errors: { field: string; wrong: string }[] }) => error.errors.map(({ field, wrong }) => `${field} ${wrong}`),
      );
    expect(await problems('Country,Days\nNL,1\n,2\nnl,3\n')).toEqual([
      'csv, line 3 has no Country, by which rows are looked up',
      'csv, line 4 has the same Country as line 2',
    ]);
    expect(await problems('Country,Days\nNL,1\n', 'Zip')).toEqual(['keyColumn the table has no column “Zip”']);
    expect(await problems('Country,Days,days-\nNL,1,2\n')).toEqual([]);
    expect(await problems('Country,Days,Days!\nNL,1,2\n')).toEqual(['csv, line 1 has the column Days twice']);
    expect(await problems('Country,???\nNL,1\n')).toEqual(['csv, line 1 “???” is no name']);
    expect(await problems(`Country,Text\nNL,${'x'.repeat(1001)}\n`)).toEqual(['csv, line 2 has more than 1000 characters under Text']);
    expect(await problems(`Country\n${Array.from({ length: 20_001 }, (_, n) => `c${n}`).join('\n')}`)).toEqual(['csv has 20001 rows']);
    await expect(putTable(lab.db, 'Not a key', { name: 'x', keyColumn: 'a', csv: 'a\n1' }, 'm')).rejects.toMatchObject({ status: 400 });
    expect((await tableView(lab.db, 'delivery')).version).toBe(2);
  });

  it('another version is what flows look into from then on, until the one before is restored; the oldest of eleven goes', async () => {
    await load();
    await lab.addFlow('travels', flow);
    await lab.tell(order('o1', 'NL'));
    await lab.settle();
    await load('Country,Carrier,Days of travel\nNL,Barge,9\n');
    await lab.tell(order('o2', 'nl'));
    await lab.settle();
    await restoreTable(lab.db, 'delivery', { version: 1 }, 'Marla');
    await lab.tell(order('o3', 'NL'));
    await lab.settle();
    expect(lab.inbox.map(({ subject }) => subject)).toEqual(['By Bike courier in 1', 'By Barge in 9', 'By Bike courier in 1']);
    expect((await rows('version=2')).map(({ Carrier }) => Carrier)).toEqual(['Barge']);
    await expect(restoreTable(lab.db, 'delivery', { version: 7 }, 'm')).rejects.toMatchObject({ status: 404 });
    for (let n = 0; n < 9; n++) await load();
    expect((await tableView(lab.db, 'delivery')).versions.map(({ version }) => version)).toEqual([11, 10, 9, 8, 7, 6, 5, 4, 3, 2]);
  });

  it('that a flow looks into is not archived; archived it is not on file for flows, and can be restored', async () => {
    await load();
    await lab.addFlow('travels', flow);
    expect((await tables(lab.db)).tables).toMatchObject([{ key: 'delivery', usedBy: [{ key: 'travels', name: 'Travels' }] }]);
    await expect(removeTable(lab.db, 'delivery', 'm')).rejects.toMatchObject({ status: 409 });
    await lab.empty('flows', 'flow_versions');
    await removeTable(lab.db, 'delivery', 'm');
    expect((await tables(lab.db)).tables).toEqual([]);
    expect((await readStore(lab.db)).tables.size).toBe(0);
    await expect(lab.addFlow('travels', flow)).rejects.toMatchObject({ status: 422 });
    expect(await restoreTable(lab.db, 'delivery', { version: 1 }, 'm')).toMatchObject({ isArchived: false });
    expect((await readStore(lab.db)).tables.get('delivery')!.rows.get('nl')).toMatchObject({ Carrier: 'Bike courier' });
  });

  it('is looked into by a rehearsal, too', async () => {
    await load();
    await lab.addFlow('travels', flow);
    const { people } = await rehearse(lab.db, 'travels', {
      madeUp: { attributes: { email: 'kim@example.com', country: 'BE' } },
      events: [{ after: 'PT1M', type: 'order.placed', data: { orderId: 'o9', value: 10, currency: 'EUR' } }],
    });
    expect(people[0]!.sends.map(({ subject }) => subject)).toEqual(['By  in 2']);
  });
});
