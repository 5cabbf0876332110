import type { WorkView } from '@/core/api';
import { askToStop, endWork, findWork, listWorks, lockWork, noteProgress, type WorkRow } from '@/data/work';
import { inTransaction, isOutage, whileHeld, type Db } from '@/data/db';
import { readStore } from '@/data/store';
import type { Dispatch } from '../messages';
import { notFound, Problem } from '../http';
import { log } from '../base';
import { runSegment } from '../segments';
import { runBulk, undoBulk } from './acts';
import { runBacktest } from './backtests';
import { runImport, undoImport } from './imports';
import { Stopped, type Finished, type Report } from './start';

/** Every kind of long work: what does it, and what takes it back. */
const KINDS: Record<
  string,
  {
    run: (context: Dispatch, work: WorkRow, report: Report) => Promise<Finished>;
    undo?: (context: Dispatch, work: WorkRow, by: string) => Promise<Finished>;
  }
> = {
  import: { run: runImport, undo: undoImport },
  bulk: { run: runBulk, undo: undoBulk },
  segment: { run: runSegment },
  backtest: { run: runBacktest },
};

export function workView(row: WorkRow): WorkView {
  return {
    id: row.id,
    kind: row.kind,
    name: row.name,
    state: row.state,
    done: Number(row.done),
    total: row.total === null ? null : Number(row.total),
    says: row.says,
    by: row.by,
    createdAt: row.created_at.toISOString(),
    endedAt: row.ended_at?.toISOString() ?? null,
    canUndo: row.state === 'done' && Boolean(KINDS[row.kind]?.undo) && row.result.canUndo !== false,
    detail: row.detail,
    result: row.result,
  };
}

/** Does long work to its end. Started again after a crash, it begins anew or goes on, as its kind can. */
export async function doWork(context: Dispatch, id: string): Promise<void> {
  const { db } = context;
  const work = await inTransaction(db, async (trx) => {
    const row = await lockWork(trx, id);
    if (!row || (row.state !== 'waiting' && row.state !== 'running')) return null;
    await noteProgress(trx, id, { state: 'running' });
    return row;
  });
  if (!work) return;
  const end = async (state: WorkRow['state'], says: string, result: object = {}) =>
    endWork(db, id, state, says, new Date((await readStore(db)).now), result);
  const report: Report = async (progress) => {
    if (await noteProgress(db, id, progress)) throw new Stopped();
  };
  try {
    const { says, result } = await KINDS[work.kind]!.run(context, work, report);
    await end('done', says, result);
  } catch (error) {
    if (error instanceof Stopped) return end('cancelled', error.message || 'Cancelled; nothing of it was kept.');
    if (error instanceof Problem) return end('failed', error.detail);
    // the database is away: the job comes again
    if (isOutage(error)) throw error;
    log.error({ work: id, kind: work.kind, error: (error as Error).stack });
    await end('failed', 'Something went wrong on our side; it has been logged. Nothing of it was kept.');
  }
}

export async function work(db: Db, id: string): Promise<WorkRow> {
  const row = await findWork(db, id);
  if (!row) throw notFound(`work "${id.slice(0, 20)}"`);
  return row;
}

/** Asks work to stop; what it has done so far is taken back by itself. */
export async function stopWork(db: Db, id: string): Promise<WorkView> {
  const row = await work(db, id);
  if (!(await askToStop(db, row.id))) throw new Problem(409, 'Over already', 'This has ended already.');
  return workView(await work(db, id));
}

// each holds a connection while it needs others: not so many that none are left for anything else
const MOST_UNDOING = 3;
const undoing = new Set<string>();

/** Takes ended work back. */
export async function undoWork(context: Dispatch, id: string, by: string): Promise<WorkView> {
  if (undoing.has(id)) throw new Problem(409, 'Being undone', 'This is being undone already.');
  if (undoing.size >= MOST_UNDOING)
    throw new Problem(503, 'Too much at once', 'Other work is being taken back at the moment. Try again in a minute.', [], {
      'retry-after': '60',
    });
  undoing.add(id);
  try {
    return await takeWorkBack(context, id, by);
  } finally {
    undoing.delete(id);
  }
}

async function takeWorkBack(context: Dispatch, id: string, by: string): Promise<WorkView> {
  const isHeld = await whileHeld(context.db, `undo ${id}`, async () => {
    const row = await work(context.db, id);
    const undo = KINDS[row.kind]?.undo;
    if (row.state !== 'done' || !undo || row.result.canUndo === false)
      throw new Problem(409, 'Cannot be undone', row.state === 'undone' ? 'This has been undone already.' : 'This cannot be undone.');
    const { says, result } = await undo(context, row, by);
    await endWork(context.db, row.id, 'undone', says, new Date((await readStore(context.db)).now), result);
  });
  if (!isHeld) throw new Problem(409, 'Being undone', 'This is being undone already.');
  return workView(await work(context.db, id));
}

/** The latest work of some kinds, newest first. */
export async function works(db: Db, kinds: readonly string[]): Promise<{ works: WorkView[] }> {
  return { works: (await listWorks(db, kinds, 200)).map(workView) };
}
