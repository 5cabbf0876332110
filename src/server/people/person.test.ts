import fc from 'fast-check';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { query } from '@/data/db';
import { happening, openLab, type Lab } from '../testing/lab';
import { personTimeline, personView } from '.';
import { median } from './person';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(() => lab.empty());

const order = (orderId: string, value: number, time: string, more: object = {}) =>
  happening('order.placed', { orderId, currency: 'EUR', value, ...more }, { subject: 'c1', time });
const view = () => personView(lab.db, 'c1');

describe('the middle one', () => {
  it.each([
    [[], null],
    [[3], 3],
    [[1, 9], 5],
    [[9, 1, 4], 4],
    [[4, 1, 2, 3], 2.5],
  ])('of %j is %j', (numbers, middle) => expect(median(numbers)).toBe(middle));
  it('law: no more than half lie above it, no more than half below', () => {
    fc.assert(
      fc.property(fc.array(fc.integer(), { minLength: 1 }), (numbers) => {
        const middle = median(numbers)!;
        expect(numbers.filter((one) => one > middle).length).toBeLessThanOrEqual(numbers.length / 2);
        expect(numbers.filter((one) => one < middle).length).toBeLessThanOrEqual(numbers.length / 2);
      }),
    );
  });
});

describe('the numbers of a person', () => {
  it('the typical gap is the middle one of the days between orders, in whatever order they arrived', async () => {
    await lab.tell([
      order('o3', 30, '2026-03-01T10:00:00Z'),
      order('o1', 10, '2026-01-01T10:00:00Z'),
      order('o2', 20, '2026-01-11T10:00:00Z'),
    ]);
    // 10 days from 1 to 11 January, 49 from there to 1 March; the middle of two is 29.5
    expect((await view()).orders).toEqual({
      count: 3,
      firstAt: '2026-01-01T10:00:00.000Z',
      lastAt: '2026-03-01T10:00:00.000Z',
      totals: [{ currency: 'EUR', minor: 6000 }],
      typicalGapDays: 29.5,
    });
  });

  it('one order has no gap; a cancelled one makes none and counts no money', async () => {
    await lab.tell(order('o1', 10, '2026-01-01T10:00:00Z'));
    expect((await view()).orders).toMatchObject({ count: 1, typicalGapDays: null });
    await lab.tell([
      order('o2', 20, '2026-01-11T10:00:00Z'),
      happening('order.cancelled', { orderId: 'o2' }, { subject: 'c1', time: '2026-01-12T10:00:00Z' }),
    ]);
    expect((await view()).orders).toMatchObject({ typicalGapDays: null, totals: [{ currency: 'EUR', minor: 1000 }] });
  });

  it('each currency is summed apart, what was given back is taken off, and nothing goes below nought', async () => {
    await lab.tell([
      order('o1', 10.5, '2026-01-01T10:00:00Z'),
      order('o2', 2000, '2026-01-02T10:00:00Z', { currency: 'JPY' }),
      order('o3', 8, '2026-01-03T10:00:00Z'),
      happening('order.refunded', { orderId: 'o1', value: 3.25 }, { subject: 'c1', time: '2026-01-04T10:00:00Z' }),
      happening('order.refunded', { orderId: 'o3', value: 80 }, { subject: 'c1', time: '2026-01-04T10:00:00Z' }),
    ]);
    // the yen has no minor unit (ISO 4217), so 2,000 are 2,000
    expect((await view()).orders.totals).toEqual([
      { currency: 'JPY', minor: 2000 },
      { currency: 'EUR', minor: 725 },
    ]);
  });
});

describe('consent on the page', () => {
  it('says of each channel whether it reaches them, and why not', async () => {
    await lab.tell(
      happening('page.viewed', { person: { email: 'ada@example.com', consent: { email: true, sms: true } } }, { subject: 'c1' }),
    );
    const { channels } = await view();
    expect(channels.map((one) => [one.channel, one.state, one.reachable])).toEqual([
      ['email', 'given', true],
      ['sms', 'given', false],
      ['push', 'unknown', false],
    ]);
    expect(channels[1]!.because).toMatch(/phone|number|address/i);
    await query(lab.db, `insert into suppressions (channel, address, reason, at) values ('email', 'ada@example.com', 'bounced', now())`);
    expect((await view()).channels[0]).toMatchObject({ state: 'given', suppressed: 'bounced', reachable: false });
  });

  it('a pause holds until it ends, by the clock of the store', async () => {
    await lab.tell(happening('page.viewed', { person: { email: 'ada@example.com', consent: { email: true } } }, { subject: 'c1' }));
    await query(lab.db, 'update people set paused_until = :until', { until: new Date((await lab.now()) + 3_600_000) });
    expect(await view()).toMatchObject({ channels: [{ reachable: false }, {}, {}] });
    expect((await view()).pausedUntil).not.toBeNull();
    await lab.pass('PT2H');
    expect(await view()).toMatchObject({ pausedUntil: null, channels: [{ reachable: true }, {}, {}] });
  });
});

describe('the time line', () => {
  const line = (params: Record<string, string> = {}) => personTimeline(lab.db, 'c1', new URL(`http://x/?${new URLSearchParams(params)}`));

  it('searched by a word of an event’s content, filtered by type, both', async () => {
    await lab.tell([
      happening('product.viewed', { name: 'Shoreline tank 60 l' }, { subject: 'c1', time: '2026-03-01T10:00:00Z' }),
      happening('product.viewed', { name: 'Reed lamp' }, { subject: 'c1', time: '2026-03-02T10:00:00Z' }),
      happening('app.opened', { note: 'after the reed lamp' }, { subject: 'c1', time: '2026-03-03T10:00:00Z' }),
    ]);
    const found = async (params: Record<string, string>) => (await line(params)).items.map((item) => item.at.slice(0, 10));
    expect(await found({ q: 'REED' })).toEqual(['2026-03-03', '2026-03-02']);
    expect(await found({ type: 'product.viewed' })).toEqual(['2026-03-02', '2026-03-01']);
    expect(await found({ q: 'reed', type: 'product.viewed' })).toEqual(['2026-03-02']);
    expect(await found({ q: '%' })).toEqual([]);
    expect(await found({ kinds: 'send' })).toEqual([]);
  });

  it('a thousand events of one moment come page by page, each once', async () => {
    const time = '2026-03-01T10:00:00Z';
    for (let n = 0; n < 1000; n += 250)
      await lab.tell(Array.from({ length: 250 }, (_, k) => happening('page.viewed', { n: n + k }, { subject: 'c1', time })));
    const seen = new Set<string>();
    let before: string | null = '';
    let pages = 0;
    while (before !== null) {
      const page: Awaited<ReturnType<typeof line>> = await line({ limit: '150', ...(before && { before }) });
      for (const item of page.items) seen.add(JSON.stringify(item.detail));
      before = page.next;
      pages++;
    }
    expect([seen.size, pages]).toEqual([1000, 7]);
    await expect(line({ before: '1; drop' })).rejects.toMatchObject({ status: 400, errors: [{ field: 'before' }] });
  });

  it('tags of one moment come page by page, each once', async () => {
    await lab.tell(happening('page.viewed', {}, { subject: 'c1' }));
    const at = new Date(await lab.now());
    await query(
      lab.db,
      `insert into person_tags (person_id, tag, at, by) select id, tag, :at, 'test' from people, unnest(array['a', 'b', 'c']) as tag`,
      { at },
    );
    const seen: string[] = [];
    let before: string | null = '';
    while (before !== null) {
      const page: Awaited<ReturnType<typeof line>> = await line({ limit: '1', kinds: 'note', ...(before && { before }) });
      seen.push(...page.items.map((item) => item.says));
      before = page.next;
    }
    expect(seen.sort()).toEqual(['Tagged “a”', 'Tagged “b”', 'Tagged “c”']);
    await query(lab.db, 'truncate person_tags');
  });

  it('an event that only looks like one of ours is an event like any other', async () => {
    await lab.tell(
      ['abc', '', '1e5', '99999999999999999999', 7, null, ['x'], { a: 1 }].map((sendId, n) =>
        happening('app.noted', { sendId, letterId: sendId, orderId: 5 }, { subject: 'odd', time: `2026-11-02T10:00:0${n}Z` }),
      ),
    );
    expect((await personTimeline(lab.db, 'odd', new URL('http://x/'))).items).toHaveLength(8);
    expect((await personView(lab.db, 'odd')).orders.count).toBe(0);
  });

  it('the person of nobody’s id is not found, whatever the id looks like', async () => {
    await lab.tell(happening('page.viewed', {}, { subject: 'c1' }));
    for (const id of ['nobody', '~999999', '~', '~x', "'; drop table people; --", '~99999999999999999999'])
      await expect(personView(lab.db, id)).rejects.toMatchObject({ status: 404 });
  });
});
