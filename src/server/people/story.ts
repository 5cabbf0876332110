import type { TimelineItem, TimelineView } from '@/core/api';
import type { Db } from '@/data/db';
import type { TraceRow } from '@/data/flows';
import { readStore, type StoreNow } from '@/data/store';
import { timeline, type TimelineRow } from '@/data/people';
import { sayTraces } from '../flows';
import { Problem, wholeNumber } from '../http';
import { person, publicId } from './who';

const KINDS = ['event', 'trace', 'send', 'consent', 'note'];
const CURSOR = /^(\d{1,15})_(\d{1,9})_(\d{1,18})$/;

/** One person's time line, newest first, a page at a time. */
export async function personTimeline(db: Db, id: string, url: URL): Promise<TimelineView> {
  const row = await person(db, id);
  const limit = wholeNumber(url, 'limit', { least: 1, most: 200, otherwise: 50 });
  const cursor = url.searchParams.get('before');
  const parts = cursor ? CURSOR.exec(cursor) : null;
  if (cursor && !parts)
    throw new Problem(400, 'Not a cursor', 'The cursor is not one of ours.', [
      { field: 'before', wrong: 'is not a cursor', right: 'the value of "next" in the answer before' },
    ]);
  const kinds =
    url.searchParams
      .get('kinds')
      ?.split(',')
      .filter((kind) => KINDS.includes(kind)) ?? null;
  const words = url.searchParams.get('q')?.trim() || null;
  const store = await readStore(db);
  const options = { kinds: kinds?.length ? kinds : null, words, type: url.searchParams.get('type') || null };
  let before = parts ? { at: Number(parts[1]), rank: Number(parts[2]), id: parts[3]! } : null;
  const items: (TimelineItem & { cursor: string })[] = [];
  // decisions are put into words here, so that what is looked for in them is found here
  for (;;) {
    const rows = await timeline(db, row.id, { ...options, limit: limit + 1, before });
    for (const one of rows) {
      const item = await itemOf(db, store, one);
      if (!words || one.kind !== 'trace' || item.says.toLowerCase().includes(words.toLowerCase()))
        items.push({ ...item, cursor: `${one.at_ms}_${one.rank}_${one.id}` });
    }
    const last = rows.at(-1);
    if (items.length > limit || rows.length <= limit || !last) break;
    before = { at: Number(last.at_ms), rank: last.rank, id: last.id };
  }
  const page = items.slice(0, limit);
  return {
    person: publicId(row),
    items: page.map(({ cursor: _, ...item }) => item),
    next: items.length > limit ? page.at(-1)!.cursor : null,
  };
}

async function itemOf(db: Db, store: StoreNow, row: TimelineRow): Promise<TimelineItem> {
  const about = {
    at: new Date(Number(row.at_ms)).toISOString(),
    kind: row.kind,
    type: row.type,
    ...(row.flow_key && { flow: { key: row.flow_key, name: row.flow_name! } }),
    ...(row.step_id && { step: row.step_id }),
    ...(row.run_id && { run: row.run_id }),
  };
  if (row.kind !== 'trace')
    return {
      ...about,
      says: row.title ?? row.type,
      ...(row.because && { because: row.because }),
      ...(row.detail && { detail: row.detail }),
    };
  const { flowId, version, arm, saw, trigger, key } = row.detail as unknown as Pick<
    TraceRow,
    'version' | 'arm' | 'saw' | 'trigger' | 'key'
  > & { flowId: number };
  const [said] = await sayTraces(db, store, [
    {
      at: new Date(Number(row.at_ms)),
      kind: row.type as TraceRow['kind'],
      step_id: row.step_id,
      says: row.title,
      because: row.because,
      flowId,
      version,
      arm,
      saw,
      trigger,
      key,
    },
  ]);
  return { ...about, says: said!.says, ...(said!.because && { because: said!.because }) };
}
