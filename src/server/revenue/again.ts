import type { AgainView } from '@/core/api';
import { happenedBy, happenedWithin, survivalCurve, timeUntil } from '@/core/stats';
import type { Db } from '@/data/db';
import { againRows, productNames, type AgainRow } from '@/data/revenue';
import { readStore } from '@/data/store';
import { periodOf, Problem } from '../http';

/** The days by which it is said how many have bought it again. */
const BY_DAYS = [30, 60, 90] as const;
/** Fewer who came back say too little to wait by. */
const FEWEST_AGAIN = 20;

/**
 * After how many days people buy the same again, product by product or by category (`by`); with `key` one of them with its curve.
 * Kaplan–Meier: who has not yet counts for as long as they were seen.
 */
export async function again(db: Db, url: URL): Promise<AgainView> {
  const store = await readStore(db);
  const { from, to } = periodOf(url, store);
  const by = url.searchParams.get('by') ?? 'product';
  if (by !== 'product' && by !== 'category')
    throw new Problem(400, 'Not a choice', `"by" is not one of those there are.`, [
      { field: 'by', wrong: `is "${by.slice(0, 40)}"`, right: 'product or category' },
    ]);
  const key = url.searchParams.get('key')?.slice(0, 200) || null;
  const rows = await againRows(db, { by, key, from, to, now: store.now, currency: store.currency });
  const lines = new Map<string, AgainRow[]>();
  for (const row of rows) lines.set(row.key, [...(lines.get(row.key) ?? []), row]);
  const names = by === 'product' ? await productNames(db, [...lines.keys()]) : null;
  return {
    from: new Date(from).toISOString(),
    to: new Date(to).toISOString(),
    by,
    lines: [...lines]
      .map(([own, spells]) => ({ ...lineOf(spells, key !== null), key: own, name: names?.get(own) ?? own }))
      .sort((a, b) => b.bought - a.bought || (a.key < b.key ? -1 : 1)),
  };
}

function lineOf(spells: readonly AgainRow[], isCurve: boolean): Omit<AgainView['lines'][number], 'key' | 'name'> {
  const curve = survivalCurve(spells.map(({ days, happened, many }) => ({ time: days, happened, many })));
  const sum = (rows: readonly AgainRow[]) => rows.reduce((all, { many }) => all + many, 0);
  const bought = sum(spells);
  const backAgain = sum(spells.filter(({ happened }) => happened));
  const seen = spells.reduce((most, { days }) => Math.max(most, days), 0);
  // of all who come back as far as was seen, by when a part has
  const back = 1 - (curve.at(-1)?.share ?? 1);
  const isEnough = backAgain >= FEWEST_AGAIN;
  const after = (part: number) => (isEnough ? timeUntil(curve, back * part) : null);
  return {
    bought,
    again: backAgain,
    seen,
    within: BY_DAYS.filter((days) => days <= seen).map((days) => ({ days, ...happenedWithin(curve, days) })),
    quarter: after(0.25),
    half: after(0.5),
    most: after(0.75),
    curve: isCurve
      ? curve.map((step) => {
          const { share, low, high } = happenedBy(step);
          return { days: step.time, back: share, low, high };
        })
      : null,
  };
}
