import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { openLab, type Lab } from '../testing/lab';
import { productsOf, recordsOf } from './feeds';
import { productFeeds, products, putProductFeed, readProductFeeds, removeProductFeed } from '.';

const read = (text: string, mapping = {}) => {
  const { told, skipped } = productsOf(recordsOf(text), mapping);
  return { products: Object.fromEntries(told), skipped };
};

describe('a feed of products', () => {
  it('is a CSV, with names as shops commonly have them, amounts with their currency, stock in words', () => {
    const csv = [
      'id;title;link;image_link;price;availability;product_type',
      'T1;Tank;https://shop.example/t;https://shop.example/t.png;1.249,00 EUR;in stock;Tanks > Large',
      'F1;Food;https://shop.example/f;;4.90 EUR;out of stock;Food',
    ].join('\n');
    expect(read(csv).products).toEqual({
      T1: {
        name: 'Tank',
        url: 'https://shop.example/t',
        image: 'https://shop.example/t.png',
        price: 1249,
        currency: 'EUR',
        stock: null,
        categories: ['Tanks', 'Large'],
      },
      F1: { name: 'Food', url: 'https://shop.example/f', price: 4.9, currency: 'EUR', stock: 0, categories: ['Food'] },
    });
  });

  it('is a list of JSON wherever it stands, its fields chosen by paths', () => {
    const json = JSON.stringify({ page: 1, data: { products: [{ nr: 7, label: 'Net', offers: [{ amount: 3.5 }], on_hand: 12 }] } });
    expect(read(json, { sku: 'nr', name: 'label', price: 'offers.0.amount', stock: 'on_hand' }).products).toEqual({
      '7': { name: 'Net', price: 3.5, stock: 12 },
    });
  });

  it('is RSS or Atom, with what stands before a colon left out', () => {
    const rss = `<rss version="2.0" xmlns:p="urn:p"><channel><title>Shop</title><item><p:id>T1</p:id><title>Tank &amp; lid</title><link>https://shop.example/t</link><p:price>89.00 EUR</p:price><category>Tanks</category><category>Glass</category><enclosure url="https://shop.example/t.png" type="image/png"/></item></channel></rss>`;
    expect(read(rss).products).toEqual({
      T1: {
        name: 'Tank & lid',
        url: 'https://shop.example/t',
        price: 89,
        currency: 'EUR',
        categories: ['Tanks', 'Glass'],
        image: 'https://shop.example/t.png',
      },
    });
    const atom = `<feed xmlns="http://www.w3.org/2005/Atom"><entry><id>T2</id><title>Net</title><link href="https://shop.example/n"/></entry></feed>`;
    expect(read(atom).products).toEqual({ T2: { name: 'Net', url: 'https://shop.example/n' } });
  });

  it('leaves out what cannot be read, and says what and why', () => {
    expect(
      read('sku,name,price,url\n,Without,1,\nA,Good,2,https://shop.example/a\nB,Bad,abc,\nC,Elsewhere,3,javascript:alert(1)'),
    ).toMatchObject({
      products: { A: { price: 2 } },
      skipped: {
        count: 3,
        some: [
          'entry 1 has no article number',
          'entry 3 “abc” is no amount (price)',
          'entry 4 url is not an address that begins with https://',
        ],
      },
    });
    expect(() => recordsOf('<html><body>Not found</body></html>')).toThrow('has no products');
    expect(() => recordsOf('<!DOCTYPE x [<!ENTITY a "b">]><rss/>')).toThrow('document type');
    expect(() => recordsOf('{"a": ')).toThrow('is no JSON');
  });
});

describe('read by itself', () => {
  let lab: Lab;
  let server: Server;
  let host = '';
  let body = '';
  beforeAll(async () => {
    lab = await openLab({ flow: null });
    server = createServer((_, response) => response.end(body));
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', () => resolve()));
    host = `127.0.0.1:${(server.address() as AddressInfo).port}`;
  });
  afterAll(async () => {
    await lab.close();
    await new Promise((resolve) => server.close(resolve));
  });
  beforeEach(() => lab.empty('products', 'product_changes', 'product_feeds'));
  const prices = async () =>
    (await products(lab.db, new URL('http://x/'))).products.map(({ sku, price, stock }) => [sku, price?.minor, stock]);

  it('at once and as often as is said; what breaks leaves what was there', async () => {
    body = 'sku,name,price,stock\nT1,Tank,89,0\nT2,Net,3,5';
    const feed = await putProductFeed(lab.db, 'shop', { name: 'Shop', url: `http://${host}/`, everyMinutes: 60 }, [host], 'Marla');
    expect(feed).toMatchObject({ stored: 2, skipped: { count: 0 }, problem: null, fields: ['sku', 'name', 'price', 'stock'] });
    body = 'sku,name,price,stock\nT1,Tank,79,4\nT2,Net,3,5';
    await lab.pass('PT59M');
    await readProductFeeds(lab.db, [host]);
    expect(await prices()).toEqual([
      ['T2', 300, 5],
      ['T1', 8900, 0],
    ]);
    await lab.pass('PT2M');
    await readProductFeeds(lab.db, [host]);
    expect(await prices()).toEqual([
      ['T2', 300, 5],
      ['T1', 7900, 4],
    ]);
    body = '';
    await lab.pass('PT61M');
    await readProductFeeds(lab.db, [host]);
    expect((await productFeeds(lab.db)).feeds[0]).toMatchObject({ stored: 2, problem: 'has no lines' });
    expect(await prices()).toHaveLength(2);
    await removeProductFeed(lab.db, 'shop', 'Marla');
    expect((await productFeeds(lab.db)).feeds).toEqual([]);
    expect(await prices()).toHaveLength(2);
  });
});
