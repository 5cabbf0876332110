import { wakesOn } from '@/core/rules';
import type { Sql } from '@/data/db';
import { inTransaction } from '@/data/db';
import { buildMembership, findSegment, hasEverybodySeen, holdSegments, transactionNow, type Built, type SegmentRow } from '@/data/segments';
import { ruleToSql } from '@/data/rules';
import { readStore } from '@/data/store';
import type { WorkRow } from '@/data/work';
import { Problem } from '../http';
import type { Dispatch } from '../messages';
import type { Finished, Report } from '../work';

const LOOK_MS = 100;

/** Builds a segment in the caller's transaction, which holds all segments. */
export async function buildNow(trx: Sql, row: SegmentRow, how: { wakesOn: readonly string[]; cause: string }): Promise<Built> {
  const { now, zone, world } = await readStore(trx);
  const { rule } = row.document;
  return buildMembership(
    trx,
    { id: row.id, key: row.key, rule, revision: row.revision, isFirst: row.rule === null, ...how },
    ruleToSql(rule, now, zone, { isWhole: true, world }),
    { now, zone, world },
  );
}

/**
 * Builds a segment over everybody on file, as long work. First it waits until all that was under way when its rule was
 * stored has ended: whoever changes something from then on leaves a note for it. Then everybody is looked at in one go,
 * while what becomes known meanwhile waits to be looked at by the new rule.
 */
export async function runSegment(context: Dispatch, work: WorkRow, report: Report): Promise<Finished> {
  const { db } = context;
  const { key } = work.detail as { key: string };
  const stored = await inTransaction(db, transactionNow);
  for (let waited = 0; !(await hasEverybodySeen(db, stored)); waited++) {
    if (waited % 10 === 0) await report({ says: 'Waits for what is being stored at the moment' });
    await new Promise((done) => setTimeout(done, LOOK_MS));
  }
  await report({ says: 'Looks at everybody' });
  const built = await inTransaction(db, async (trx) => {
    await holdSegments(trx);
    const row = await findSegment(trx, key);
    if (!row || row.archived_at) throw new Problem(409, 'Archived', 'This segment has been archived meanwhile; nobody was looked at.');
    return buildNow(trx, row, { wakesOn: wakesOn([row.document.rule]), cause: 'rule' });
  });
  const many = (n: number, one: string, several: string) => `${n.toLocaleString('en')} ${n === 1 ? one : several}`;
  const moves =
    built.joined && built.left ? `: ${built.joined.toLocaleString('en')} joined and ${built.left.toLocaleString('en')} left` : '';
  return { says: `${many(built.size, 'person is', 'people are')} in it${moves}.`, result: { ...built, canUndo: false } };
}
