import type { LedgerView } from '@/core/api';
import type { Db } from '@/data/db';
import { SPLITS } from '@/core/revenue';
import { ledger, type LedgerOf } from '@/data/revenue';
import { readStore } from '@/data/store';
import { periodOf, Problem, wholeNumber } from '../http';
import { publicId } from '../people';

/** Which orders are asked for: `flow=`, `step=`, `credited=yes|no`, and the key of a part of any split, `product=QF-W002`. */
function askedOf(url: URL): LedgerOf {
  const text = (name: string) => url.searchParams.get(name)?.slice(0, 120) || null;
  const one = <T extends string>(name: string, of: readonly T[]): T | null => {
    const said = text(name);
    if (said !== null && !(of as readonly string[]).includes(said))
      throw new Problem(400, 'Not a choice', `"${name}" is not one of those there are.`, [
        { field: name, wrong: `is "${said.slice(0, 40)}"`, right: of.join(' or ') },
      ]);
    return said as T | null;
  };
  one('first', ['first', 'repeat']);
  return {
    flow: text('flow'),
    step: text('step'),
    credited: one('credited', ['yes', 'no']),
    parts: SPLITS.flatMap((by) => {
      const key = url.searchParams.get(by);
      return key === null ? [] : [{ by, key: key.slice(0, 2000) }];
    }),
  };
}

/** A page of the ledger: each order with what was taken and the credits it gave by a model, newest first. */
export async function ledgerPage(db: Db, url: URL): Promise<LedgerView> {
  const store = await readStore(db);
  const { from, to, model } = periodOf(url, store);
  const limit = wholeNumber(url, 'limit', { least: 1, most: 200, otherwise: 50 });
  const cursor = url.searchParams.get('before');
  const after = cursor ? /^(\d{1,15})_(\d{1,18})_(.*)$/s.exec(cursor) : null;
  if (cursor && !after) throw new Problem(400, 'Not a cursor', 'The cursor is not one of ours.');
  const before = after && { at: Number(after[1]), personId: after[2]!, orderId: after[3]! };
  const rows = await ledger(db, from, to, model, askedOf(url), limit + 1, before);
  const page = rows.slice(0, limit);
  const last = page.at(-1);
  return {
    orders: page.map((row) => ({
      orderId: row.order_id,
      person: publicId({ id: row.person_id, external_id: null }),
      email: row.email,
      placedAt: row.placed_at.toISOString(),
      currency: row.currency,
      net: Number(row.net),
      value: Number(row.value_minor),
      refunded: row.is_cancelled ? Number(row.value_minor) : Number(row.refunded_minor),
      isCancelled: row.is_cancelled,
      credited: Number(row.credited),
      shares: row.shares,
    })),
    next: rows.length > limit && last ? `${last.placed_at.getTime()}_${last.person_id}_${last.order_id}` : null,
  };
}
