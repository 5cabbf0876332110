import type { TimelineView } from '@/core/api';
import type { Db } from '@/data/db';
import { timeline } from '@/data/timeline';
import { Problem } from '../http/problem';
import { wholeNumber } from '../http/query';
import { person, publicId } from './who';

const KINDS = ['event', 'trace', 'send', 'consent', 'note'];
const CURSOR = /^(\d{1,15})_(\d{1,9})_(\d{1,18})$/;

/** One person's time line, newest first, a page at a time. */
export async function personTimeline(db: Db, id: string, url: URL): Promise<TimelineView> {
  const row = await person(db, id);
  const limit = wholeNumber(url, 'limit', { least: 1, most: 200, otherwise: 50 });
  const cursor = url.searchParams.get('before');
  const parts = cursor ? CURSOR.exec(cursor) : null;
  if (cursor && !parts) throw new Problem(400, 'Not a cursor', 'The cursor is not one of ours.', [{ field: 'before', wrong: 'is not a cursor', right: 'the value of "next" in the answer before' }]);
  const kinds = url.searchParams.get('kinds')?.split(',').filter((kind) => KINDS.includes(kind)) ?? null;
  const rows = await timeline(db, row.id, {
    limit: limit + 1, kinds: kinds?.length ? kinds : null, words: url.searchParams.get('q')?.trim() || null, type: url.searchParams.get('type') || null,
    before: parts ? { at: Number(parts[1]), rank: Number(parts[2]), id: parts[3]! } : null,
  });
  const page = rows.slice(0, limit);
  const last = page.at(-1);
  return {
    person: publicId(row),
    items: page.map((r) => ({
      at: new Date(Number(r.at_ms)).toISOString(), kind: r.kind, type: r.type, says: r.title,
      ...(r.flow_key && { flow: { key: r.flow_key, name: r.flow_name! } }), ...(r.step_id && { step: r.step_id }), ...(r.run_id && { run: r.run_id }),
      ...(r.because && { because: r.because }), ...(r.detail && { detail: r.detail }),
    })),
    next: rows.length > limit && last ? `${last.at_ms}_${last.rank}_${last.id}` : null,
  };
}
