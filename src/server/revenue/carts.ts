import type { CartItemView, CartsReport, CartsView } from '@/core/api';
import { toMajor, type Money } from '@/core/money';
import { differenceInterval, happenedBy, shareInterval, survivalCurve, type Share } from '@/core/stats';
import { DAY, HOUR, localDate, type Instant } from '@/core/time';
import type { Db } from '@/data/db';
import { CART_WINDOW_MS, cartOutcomes, leftCarts, type CartRow, type CartState } from '@/data/revenue';
import { readStore } from '@/data/store';
import { periodOf, Problem, wholeNumber } from '../http';

/** How many carts a report looks at, the newest first. */
const MOST = 50_000;
const STATES: readonly CartState[] = ['open', 'won', 'gone', 'unreachable'];

const won = (rows: readonly CartRow[]) => rows.filter(({ state }) => state === 'won');
const sum = (rows: readonly CartRow[], of: 'value_minor' | 'net_minor') => rows.reduce((all, row) => all + Number(row[of] ?? 0), 0);

/**
 * Won back ÷ (won back + gone), with its interval; null where neither is. Of carts whose time is over: of the others those that come
 * back are known before those that do not, and the rate would be too high.
 */
function rateOf(all: readonly CartRow[], now: Instant): CartsReport['rate'] {
  const rows = all.filter((row) => row.left_at.getTime() + CART_WINDOW_MS <= now);
  const [back, gone] = [won(rows).length, rows.filter(({ state }) => state === 'gone').length];
  return back + gone ? { share: back / (back + gone), ...shareInterval({ count: back, of: back + gone }) } : null;
}

/** Carts that were left in a period: what became of them, what they were worth, and how they came back. */
export async function cartsReport(db: Db, url: URL): Promise<CartsReport> {
  const store = await readStore(db);
  const { from, to } = periodOf(url, store);
  const { now, zone, currency } = store;
  const rows = await leftCarts(db, { from, to, now, currency, limit: MOST });
  const reachable = rows.filter(({ state }) => state !== 'unreachable');
  const of = (state: CartState) => {
    const own = rows.filter((row) => row.state === state);
    return { carts: own.length, value: sum(own, 'value_minor') };
  };
  const how = (which: CartRow['how']) => {
    const own = won(rows).filter((row) => row.how === which);
    return { carts: own.length, value: sum(own, 'net_minor') };
  };
  const group = (name: string, keyOf: (row: CartRow) => readonly string[]) => {
    const groups = new Map<string, CartRow[]>();
    for (const row of reachable)
      for (const key of keyOf(row)) {
        const known = groups.get(key);
        if (known) known.push(row);
        else groups.set(key, [row]);
      }
    const lines = [...groups].map(([key, own]) => ({
      key,
      carts: own.length,
      value: sum(own, 'value_minor'),
      won: won(own).length,
      wonValue: sum(won(own), 'net_minor'),
      rate: rateOf(own, now),
    }));
    return { by: name, lines: lines.sort((a, b) => b.carts - a.carts || (a.key < b.key ? -1 : 1)) };
  };
  const spells = reachable.map((row) => ({
    time: ((row.ordered_at?.getTime() ?? Math.min(now, row.left_at.getTime() + CART_WINDOW_MS)) - row.left_at.getTime()) / HOUR,
    happened: row.state === 'won',
  }));
  return {
    from: new Date(from).toISOString(),
    to: new Date(to).toISOString(),
    currency,
    windowDays: CART_WINDOW_MS / DAY,
    open: of('open'),
    wonBack: { ...of('won'), revenue: sum(won(rows), 'net_minor') },
    gone: of('gone'),
    unreachable: of('unreachable'),
    potential: sum(reachable, 'value_minor'),
    won: sum(won(rows), 'net_minor'),
    rate: rateOf(reachable, now),
    how: { clicked: how('clicked'), sent: how('sent'), itself: how('itself') },
    weeks: weeksOf(reachable, from, Math.min(to, now), now, zone),
    groups: [
      group('value', (row) => [bandOf({ currency, minor: Number(row.value_minor) })]),
      group('first', (row) => [row.is_first ? 'First order' : 'Bought before']),
      group('product', (row) => [
        ...new Set(row.items.flatMap((item) => (typeof item?.name === 'string' ? [item.name.slice(0, 120)] : []))),
      ]),
      group('source', (row) => [row.source ?? 'Unknown']),
      group('message', (row) => [row.flow_name ? `${row.flow_name}: ${row.step}` : 'No message']),
      group('offer', (row) => [row.offer ?? 'No code']),
    ],
    curve: survivalCurve(spells).map((step) => {
      const { share, low, high } = happenedBy(step);
      return { hours: step.time, back: share, low, high, atRisk: step.atRisk };
    }),
    isCut: rows.length === MOST,
  };
}

/** The bounds of the bands of cart values, in major units of the currency. */
const BANDS = [25, 50, 100, 250, 500, 1_000] as const;
/** Finds the band of values in which a cart lies: "50 to 100". */
export function bandOf(money: Money): string {
  const major = toMajor(money);
  const place = BANDS.findIndex((end) => major < end);
  if (place === 0) return `under ${BANDS[0]}`;
  return place < 0 ? `${BANDS.at(-1)!} and more` : `${BANDS[place - 1]!} to ${BANDS[place]!}`;
}

/** The rate by week in which carts were left, of weeks that begin on Mondays of the store. */
function weeksOf(rows: readonly CartRow[], from: Instant, to: Instant, now: Instant, zone: string): CartsReport['weeks'] {
  const weekOf = (at: Instant) => {
    const day = Date.parse(`${localDate(at, zone)}T00:00:00Z`);
    return new Date(day - ((new Date(day).getUTCDay() + 6) % 7) * DAY).toISOString().slice(0, 10);
  };
  const weeks = new Map<string, CartRow[]>();
  for (let at = from; at <= to; at += DAY) weeks.set(weekOf(at), []);
  for (const row of rows) weeks.get(weekOf(row.left_at.getTime()))?.push(row);
  return [...weeks].map(([week, own]) => ({ week, carts: own.length, won: won(own).length, rate: rateOf(own, now) }));
}

/** Whether fewer left carts come back than before, for sure: of two weeks whose time is over against the eight weeks before; null where not. */
export async function recoveryFalls(
  db: Db,
  { now, currency }: { readonly now: Instant; readonly currency: string },
): Promise<{ readonly is: Share; readonly was: Share } | null> {
  const to = now - CART_WINDOW_MS;
  const rows = await cartOutcomes(db, { from: to - 70 * DAY, to, later: to - 14 * DAY, now, currency });
  const part = (isLate: boolean): Share => {
    const { won: count = 0, gone = 0 } = rows.find(({ late }) => late === isLate) ?? {};
    return { of: count + gone, count };
  };
  const [is, was] = [part(true), part(false)];
  return is.of < 50 || was.of < 50 || differenceInterval(is, was).high >= 0 ? null : { is, was };
}

/** The carts themselves, the newest first, with their items and what was sent. */
export async function cartsPage(db: Db, url: URL): Promise<CartsView> {
  const store = await readStore(db);
  const { from, to } = periodOf(url, store);
  const limit = wholeNumber(url, 'limit', { least: 1, most: 200, otherwise: 50 });
  const offset = wholeNumber(url, 'offset', { least: 0, most: MOST, otherwise: 0 });
  const state = url.searchParams.get('state') as CartState | null;
  if (state && !STATES.includes(state))
    throw new Problem(400, 'Not a state', `No cart is "${state.slice(0, 40)}".`, [
      { field: 'state', wrong: 'is no state of a cart', right: STATES.join(', ') },
    ]);
  const rows = await leftCarts(db, {
    from,
    to,
    now: store.now,
    currency: store.currency,
    limit: limit + 1,
    offset,
    state,
  });
  return { carts: rows.slice(0, limit).map((row) => itemOf(row, store.currency)), isMore: rows.length > limit };
}

function itemOf(row: CartRow, currency: string): CartItemView {
  const items = row.items.slice(0, 50).map((item) => ({
    name: typeof item?.name === 'string' ? item.name.slice(0, 200) : typeof item?.sku === 'string' ? item.sku.slice(0, 120) : '',
    quantity: typeof item?.quantity === 'number' ? item.quantity : 1,
  }));
  return {
    cartId: row.cart_id,
    person: { id: `~${row.person_id}`, name: row.name },
    leftAt: row.left_at.toISOString(),
    value: { currency, minor: Number(row.value_minor) },
    items,
    state: row.state,
    messages: row.messages,
    last: row.flow ? { flow: row.flow, name: row.flow_name!, step: row.step! } : null,
    order: row.order_id
      ? { id: row.order_id, at: row.ordered_at!.toISOString(), net: { currency, minor: Number(row.net_minor) }, how: row.how! }
      : null,
  };
}
