import { describe, expect, it } from 'vitest';
import { packed, rehearsePerson, unpacked, type Rehearsed, type RehearsalStore } from '@/core/rehearsal';
import { NO_WORLD } from '@/core/rules';
import { DAY, HOUR, MINUTE } from '@/core/time';
import { cartLeftBehind } from '@/demo';
import { drawingOf } from '../map';
import { momentsOf, wayUntil, whereaboutsAt } from './whereabouts';

const now = Date.parse('2026-11-25T10:00:00Z');
const store: RehearsalStore = {
  name: 'Quillfin',
  address: 'Quillfin, Sluiskade 14',
  currency: 'EUR',
  zone: 'Europe/Amsterdam',
  now,
  world: NO_WORLD,
  limits: null,
  offers: new Map(),
  tables: new Map(),
};
const person = (value: number) => ({
  madeUp: { attributes: { firstName: 'Robin' } },
  events: [{ type: 'cart.updated', after: 'PT1M', data: { cartId: 'c1', value, currency: 'EUR' } }],
});
const played = (value: number, from = store) => rehearsePerson('cart', cartLeftBehind, person(value), from) as Rehearsed;
const drawing = drawingOf(cartLeftBehind, { width: 668, height: 590 });
const x = (id: string) => drawing.byId.get(id)!.x;

describe('somebody on the map', () => {
  const [run] = played(60).runs;
  const armed = now + MINUTE;
  const entered = armed + HOUR;

  it('stands nowhere before it begins, and moves as far as the time is over', () => {
    expect(whereaboutsAt(run!, drawing, now)).toBeNull();
    expect(whereaboutsAt(run!, drawing, armed)).toMatchObject({ id: 'trigger', x: x('trigger') });
    expect(whereaboutsAt(run!, drawing, armed + HOUR / 2)!.x).toBeCloseTo((x('trigger') + x('entry')) / 2, 0);
    const after = whereaboutsAt(run!, drawing, entered + 11.5 * HOUR)!;
    expect(after.x).toBeGreaterThan(x('by-value:join'));
    expect(after.x).toBeLessThan(x('reminder'));
    expect(whereaboutsAt(run!, drawing, entered + 30 * DAY)!.x).toBe(x('over'));
  });

  it('the way lights up only as far as they have come, and only where they went', () => {
    const begun = wayUntil([run!], drawing, entered);
    expect(begun.has('entry')).toBe(true);
    expect(begun.has('small-cart')).toBe(true);
    expect(begun.has('big-cart')).toBe(false);
    expect(begun.has('reminder')).toBe(false);
    const through = wayUntil([run!], drawing, entered + 2 * DAY);
    expect(through.has('reminder')).toBe(true);
    expect(through.has('big-cart')).toBe(false);
    // marks between steps are on the way where what follows them is
    expect(through.has('by-value:join')).toBe(true);
  });

  it('the clock knows every moment at which something happens, each once', () => {
    const moments = momentsOf([played(60), played(140)], now);
    expect(moments[0]).toBe(now);
    expect(moments).toContain(armed);
    expect(moments).toContain(entered);
    expect(new Set(moments).size).toBe(moments.length);
  });
});

describe('what a rehearsal has to know', () => {
  it('goes as JSON and comes back the same: the rehearsal too', () => {
    const limits = { gap: 'P1D', caps: [], hours: null, closed: new Set(['2026-12-25']) };
    const full = { ...store, limits, tables: new Map([['t', { columns: ['a'], rows: new Map([['k', { a: 1 }]]) }]]) };
    const sent = JSON.parse(JSON.stringify(packed({ store: full }))) as unknown;
    const back = unpacked<{ store: RehearsalStore }>(sent).store;
    expect(back).toEqual(full);
    expect(played(60, back)).toEqual(played(60, full as unknown as RehearsalStore));
  });
});
