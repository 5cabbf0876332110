import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { flowWith, letter } from '@/core/flows/testing/asking';
import { query } from '@/data/db';
import { foldArrivals } from '@/data/sources';
import { drain } from '../flows';
import { happening, openLab, type Lab } from '../testing/lab';
import { startBacktest } from '../work';
import { products, productView, putProduct, putProducts } from '.';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await lab.empty('flows', 'flow_versions', 'products', 'product_changes', 'product_tellings');
});

const backAgain = flowWith({
  name: 'Back again',
  triggers: [
    {
      id: 'start',
      kind: 'product',
      event: 'product.restocked',
      relates: [
        { by: 'viewed', within: 'P30D' },
        { by: 'cart', within: 'P30D' },
      ],
    },
  ],
  steps: [
    { ...letter('back'), message: { ...(letter('back') as { message: object }).message, subject: '{{ event.name }} is back' } } as never,
  ],
});
const viewed = (email: string, sku: string) => happening('product.viewed', { sku, person: { email, consent: { email: true } } });
const inCart = (email: string, sku: string) =>
  happening('cart.updated', {
    cartId: `c-${email}`,
    currency: 'EUR',
    value: 9,
    items: [{ sku, name: sku, price: 9, quantity: 1 }],
    person: { email, consent: { email: true } },
  });
const list = async (q = '') => (await products(lab.db, new URL(`http://x/?q=${q}`))).products;

describe('a product that is there again', () => {
  it('begins the flow for whom it concerns, once each time, and for nobody else', async () => {
    await lab.addFlow('back', backAgain);
    await lab.tell([viewed('a@example.com', 'T1'), inCart('b@example.com', 'T1'), viewed('c@example.com', 'T2')]);
    await putProduct(lab.db, 'T1', { name: 'Shoreline tank', price: 89, stock: 0 }, 'Marla');
    await lab.settle();
    expect(lab.inbox).toHaveLength(0);
    await putProduct(lab.db, 'T1', { stock: 5 }, 'Marla');
    await putProduct(lab.db, 'T1', { stock: 4 }, 'Marla');
    await lab.settle();
    expect(lab.inbox.map((mail) => [mail.to && 'text' in mail.to ? mail.to.text : '', mail.subject]).sort()).toEqual([
      ['a@example.com', 'Shoreline tank is back'],
      ['b@example.com', 'Shoreline tank is back'],
    ]);
    // gone and there again: another time
    await putProduct(lab.db, 'T1', { stock: 0 }, 'Marla');
    await lab.pass('PT1H');
    await putProduct(lab.db, 'T1', { stock: 2 }, 'Marla');
    await lab.settle();
    expect(lab.inbox).toHaveLength(4);
    expect(await query(lab.db, 'select count(*)::int as n from product_tellings')).toEqual([{ n: 0 }]);
  });

  it('tells very many in parts, and two workers tell nobody twice', async () => {
    await lab.addFlow('back', backAgain);
    for (const from of [0, 600]) await lab.tell(Array.from({ length: 600 }, (_, n) => viewed(`p${from + n}@example.com`, 'T1')));
    await putProduct(lab.db, 'T1', { name: 'Tank', stock: 0 }, 'Marla');
    await putProduct(lab.db, 'T1', { stock: 1 }, 'Marla');
    await Promise.all([drain(lab.db), drain(lab.db)]);
    await drain(lab.db);
    expect(await query(lab.db, `select count(*)::int as n, count(distinct person_id)::int as people from sends`)).toEqual([
      { n: 1200, people: 1200 },
    ]);
  });

  it('a flow that is paused, or asks for another change, hears nothing of it', async () => {
    const cheaper = flowWith({
      ...backAgain,
      name: 'Cheaper',
      triggers: [
        {
          id: 'start',
          kind: 'product',
          event: 'product.repriced',
          where: [{ property: 'by', op: 'atMost', value: -10 }],
          relates: [{ by: 'viewed', within: 'P30D' }],
        },
      ],
    });
    await lab.addFlow('back', backAgain);
    await lab.addFlow('cheaper', cheaper);
    await query(lab.db, `update flows set state = 'paused' where key = 'back'`);
    await lab.tell(viewed('a@example.com', 'T1'));
    await putProduct(lab.db, 'T1', { name: 'Tank', price: 100, stock: 0 }, 'm');
    await putProduct(lab.db, 'T1', { stock: 3, price: 95 }, 'm');
    await lab.settle();
    expect(lab.inbox).toHaveLength(0);
    await putProduct(lab.db, 'T1', { price: 80 }, 'm');
    await lab.settle();
    expect(lab.inbox).toHaveLength(1);
  });

  it('a backtest finds who would have been told, of a flow that was never on', async () => {
    await lab.tell([viewed('a@example.com', 'T1'), viewed('b@example.com', 'T9')]);
    await putProduct(lab.db, 'T1', { name: 'Tank', stock: 0 }, 'm');
    await lab.pass('PT1H');
    await putProduct(lab.db, 'T1', { stock: 3 }, 'm');
    await lab.pass('PT1H');
    const now = await lab.now();
    const body = { from: new Date(now - 10 * 86_400_000).toISOString(), to: new Date(now).toISOString(), document: backAgain };
    await lab.addFlow('never', backAgain);
    await query(lab.db, `update flows set state = 'paused'`);
    const { id } = await startBacktest(lab.db, 'never', body, 'm');
    await lab.settle();
    const [work] = await query<{ result: object }>(lab.db, 'select result from works where id = :id', { id });
    expect(work!.result).toMatchObject({ entered: 1, sends: [{ step: 'back', count: 1 }] });
  });
});

describe('products', () => {
  it('are learned from the items of events; the shop’s own word counts from then on', async () => {
    await lab.tell([inCart('a@example.com', 'T1'), viewed('a@example.com', 'T2')]);
    await foldArrivals(lab.db);
    expect((await list()).map(({ sku, isTold }) => [sku, isTold])).toEqual([
      ['T1', false],
      ['T2', false],
    ]);
    expect((await productView(lab.db, 'T1')).price).toEqual({ currency: 'EUR', minor: 900 });
    await putProduct(lab.db, 'T1', { price: 12, name: 'Tank' }, 'm');
    await lab.tell(inCart('b@example.com', 'T1'));
    await foldArrivals(lab.db);
    expect(await productView(lab.db, 'T1')).toMatchObject({ name: 'Tank', price: { minor: 1200 }, isTold: true });
  });

  it('come in tables too: lines that cannot be read are named, and then nothing is stored', async () => {
    const csv = 'sku;name;price;stock;categories\nT1;Tank;89,5;3;tanks|glass\nT2;Food;7.90;;food\n';
    expect(await putProducts(lab.db, { csv }, 'm')).toEqual({ stored: 2 });
    expect(await productView(lab.db, 'T1')).toMatchObject({ price: { minor: 8950 }, stock: 3, categories: ['tanks', 'glass'] });
    expect((await productView(lab.db, 'T2')).stock).toBeNull();
    await expect(putProducts(lab.db, { csv: 'sku,price\nT3,9\nT4,much\n' }, 'm')).rejects.toMatchObject({
      status: 422,
      errors: [{ field: 'csv, line 3', wrong: expect.stringContaining('much') }],
    });
    expect(await list('T3')).toEqual([]);
    expect((await list('foo')).map(({ sku }) => sku)).toEqual(['T2']);
    await expect(putProduct(lab.db, 'T1', { price: -1 }, 'm')).rejects.toMatchObject({ status: 422, errors: [{ field: 'price' }] });
    await expect(productView(lab.db, 'nowhere')).rejects.toMatchObject({ status: 404 });
  });
});
