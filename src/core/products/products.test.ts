import { describe, expect, it } from 'vitest';
import { whoConcerns } from '../flows';
import { evaluate, factsOf, type Value } from '../rules';
import { changeOfProductTold, changesOf, productAfter, productInput, productOfItem, type Product } from '.';

const NOW = Date.parse('2026-11-26T10:00:00Z');
const tank: Product = productAfter('T1', null, { name: 'Tank', price: 89.9, stock: 0, categories: ['tanks'] }, 'EUR');

describe('a product', () => {
  it('is what was told of it over what was known; what is left out stays, and null takes away', () => {
    expect(tank).toMatchObject({ sku: 'T1', name: 'Tank', priceMinor: 8990, currency: 'EUR', stock: 0, url: null });
    expect(productAfter('T1', tank, { stock: 4 }, 'EUR')).toEqual({ ...tank, stock: 4 });
    expect(productAfter('T1', tank, { price: null, stock: null }, 'EUR')).toMatchObject({ priceMinor: null, stock: null });
    // a price in another currency is not known until it is told
    expect(productAfter('T1', tank, { currency: 'JPY' }, 'EUR')).toMatchObject({ priceMinor: null, currency: 'JPY' });
    expect(productAfter('T1', tank, { currency: 'JPY', price: 9000 }, 'EUR').priceMinor).toBe(9000);
    expect(productAfter('new', null, {}, 'EUR').name).toBe('new');
  });

  it('is there again when there were none and there are some; costs something else when both prices are known', () => {
    const kinds = (told: Parameters<typeof productAfter>[2], was: Product | null = tank) =>
      changesOf(was, productAfter('T1', was, told, 'EUR'), NOW).map(({ type, was: before, is }) => [type, before, is]);
    expect(kinds({ stock: 3 })).toEqual([['product.restocked', 0, 3]]);
    expect(kinds({ stock: 3, price: 79.9 })).toEqual([
      ['product.restocked', 0, 3],
      ['product.repriced', 8990, 7990],
    ]);
    expect(kinds({ stock: 0 })).toEqual([]);
    expect(kinds({ stock: null })).toEqual([]);
    expect(kinds({ price: 89.9 })).toEqual([]);
    expect(kinds({ currency: 'GBP', price: 70 })).toEqual([]);
    // one that was not known before has changed in nothing
    expect(kinds({ stock: 3 }, null)).toEqual([]);
    expect(kinds({ stock: 3 }, { ...tank, stock: null })).toEqual([]);
  });

  it('is told with how it was, by how much of a hundred, and as an item that a message can show', () => {
    const [change] = changesOf({ ...tank, stock: 5 }, { ...tank, stock: 5, priceMinor: 6742 }, NOW);
    expect(changeOfProductTold(change!)).toMatchObject({
      sku: 'T1',
      price: 67.42,
      was: 89.9,
      by: -25,
      currency: 'EUR',
      items: [{ sku: 'T1', name: 'Tank', quantity: 1, price: 67.42 }],
    });
  });

  it('is refused where it makes no sense', () => {
    for (const wrong of [
      { price: -1 },
      { stock: 1.5 },
      { currency: 'EURO' },
      { url: 'javascript:alert(1)' },
      { image: 'x' },
      { colour: 'red' },
    ])
      expect(productInput.safeParse(wrong).success, JSON.stringify(wrong)).toBe(false);
  });

  it('is learned from an item, whatever else that holds', () => {
    expect(
      productOfItem(
        { sku: 'T1', name: ' Tank ', price: 9.5, category: 'tanks', url: 'javascript:1', image: 'https://a.example/t.png' },
        'EUR',
      ),
    ).toEqual({
      sku: 'T1',
      told: { name: 'Tank', price: 9.5, currency: 'EUR', image: 'https://a.example/t.png', categories: ['tanks'] },
    });
    expect(productOfItem({ sku: 7, price: 'much' }, 'x')).toEqual({ sku: '7', told: {} });
    for (const none of [null, 'T1', [], {}, { sku: '' }, { sku: { a: 1 } }] as Value[]) expect(productOfItem(none, 'EUR')).toBeNull();
  });
});

describe('whom a product concerns', () => {
  const at = (days: number) => NOW - days * 86_400_000;
  const event = (type: string, days: number, properties: Record<string, unknown>) => ({
    id: `${type}${days}`,
    type,
    time: at(days),
    properties: properties as never,
  });
  const concerns = (by: 'viewed' | 'cart' | 'bought' | 'category', events: ReturnType<typeof event>[]) =>
    evaluate(whoConcerns({ relates: [{ by, within: 'P30D' }] }, tank), factsOf('1', { events: events.sort((a, b) => a.time - b.time) }), {
      now: NOW,
      zone: 'UTC',
    }).holds;
  it('is who looked at it, had it in a cart, bought it or something of its category, within the time', () => {
    expect(concerns('viewed', [event('product.viewed', 3, { sku: 'T1' })])).toBe(true);
    expect(concerns('viewed', [event('product.viewed', 31, { sku: 'T1' })])).toBe(false);
    expect(concerns('viewed', [event('product.viewed', 3, { sku: 'T2' })])).toBe(false);
    expect(concerns('cart', [event('cart.updated', 3, { items: [{ sku: 'T9' }, { sku: 'T1' }] })])).toBe(true);
    expect(concerns('bought', [event('cart.updated', 3, { items: [{ sku: 'T1' }] })])).toBe(false);
    expect(concerns('bought', [event('order.placed', 3, { items: [{ sku: 'T1' }] })])).toBe(true);
    expect(concerns('category', [event('order.placed', 3, { items: [{ sku: 'T9', category: 'tanks' }] })])).toBe(true);
    expect(concerns('category', [event('order.placed', 3, { items: [{ sku: 'T9', category: 'food' }] })])).toBe(false);
  });
});
