import type { LedgerView } from '@/core/api';
import type { Db } from '@/data/db';
import { ledger } from '@/data/revenue';
import { readStore } from '@/data/store';
import { periodOf, Problem, wholeNumber } from '../http';
import { publicId } from '../people';

/** A page of the ledger: each order with what was taken and the credit it gave, newest first. */
export async function ledgerPage(db: Db, url: URL): Promise<LedgerView> {
  const store = await readStore(db);
  const { from, to, model } = periodOf(url, store);
  const limit = wholeNumber(url, 'limit', { least: 1, most: 200, otherwise: 50 });
  const cursor = url.searchParams.get('before');
  const after = cursor ? /^(\d{1,15})_(\d{1,18})_(.*)$/s.exec(cursor) : null;
  if (cursor && !after) throw new Problem(400, 'Not a cursor', 'The cursor is not one of ours.');
  const rows = await ledger(db, from, to, model, limit + 1, after && { at: Number(after[1]), personId: after[2]!, orderId: after[3]! });
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
      ...(row.flow_key && { flow: { key: row.flow_key, name: row.flow_name! }, step: row.step_id, because: row.because }),
    })),
    next: rows.length > limit && last ? `${last.placed_at.getTime()}_${last.person_id}_${last.order_id}` : null,
  };
}
