import type { TasksView } from '@/core/api';
import { taskInput } from '@/core/api';
import { answeredOf, planOf, sayOwner, TASK_CLOSED } from '@/core/flows';
import { personalise, personalOf } from '@/core/messages';
import { valueAt } from '@/core/rules';
import { aboutAsk, askRow, closeAsk, listAsks, lockAsk, writeTask } from '@/data/asks';
import { inTransaction, type Db } from '@/data/db';
import { readVersion } from '@/data/flows';
import { lockPeople } from '@/data/people';
import { readStore, recordAct } from '@/data/store';
import { notFound, Problem, problemsOf } from '../http';
import { recordFor } from '../ingest';

const tryFill = (text: string, personal: Parameters<typeof personalise>[1]): string => {
  try {
    return personalise(text, personal);
  } catch {
    // better as it was written than not at all
    return text;
  }
};

/** Writes down what a task says: filled in for its person as they are now, and for whom it is. */
export async function writeTaskOf(db: Db, id: string): Promise<void> {
  const ask = await askRow(db, id);
  if (!ask || ask.kind !== 'task' || ask.said !== null) return;
  const step = planOf(await readVersion(db, ask.flow_id, ask.version)).steps.get(ask.step_id);
  const about = await aboutAsk(db, ask);
  if (step?.kind !== 'task' || !about) return;
  const personal = personalOf(about.attributes, about.about ?? {}, await readStore(db), answeredOf(about.answers));
  const named = 'attribute' in step.owner ? valueAt(about.attributes, step.owner.attribute) : step.owner.to;
  await writeTask(db, id, {
    title: step.name,
    said: tryFill(step.text, personal).slice(0, 4000),
    owner: typeof named === 'string' && named.trim() ? named.trim().slice(0, 120) : 'to' in step.owner ? sayOwner(step.owner) : '',
  });
}

/** Tasks: open ones by when they are due, or those that are closed, the newest first. */
export async function tasksView(db: Db, asked: { state?: string | null; owner?: string | null } = {}): Promise<TasksView> {
  const state = asked.state ?? 'open';
  if (state !== 'open' && state !== 'done' && state !== 'declined')
    throw new Problem(400, 'Not a state', `"${state.slice(0, 40)}" is no state of a task.`, [
      { field: 'state', wrong: 'is no state of a task', right: 'open, done or declined' },
    ]);
  const { now } = await readStore(db);
  const { rows, total } = await listAsks(db, {
    kind: ['task'],
    state: state === 'declined' ? 'failed' : state,
    owner: asked.owner ?? null,
    now,
  });
  return {
    total,
    tasks: rows.map((row) => ({
      id: row.id,
      state,
      title: row.title ?? row.step_id,
      text: row.said ?? '',
      owner: row.owner ?? '',
      flow: { key: row.flow, name: row.flow_name },
      person: { id: row.person, name: row.person_name },
      askedAt: row.asked_at.toISOString(),
      due: row.until_at.toISOString(),
      isLate: state === 'open' && row.is_over,
      closedAt: row.closed_at?.toISOString() ?? null,
      closedBy: row.closed_by,
      note: row.note,
    })),
  };
}

/** Closes a task: it is done, or will not be. The run that waits for it goes on at once. */
export async function closeTask(db: Db, id: string, body: unknown, by: string): Promise<void> {
  const parsed = taskInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a change of a task', 'Nothing was changed.', problemsOf(parsed.error));
  const { state, note } = parsed.data;
  await inTransaction(db, async (trx) => {
    const ask = await lockAsk(trx, id);
    if (!ask || ask.kind !== 'task') throw notFound(`task ${id.slice(0, 30)}`);
    const { now } = await readStore(trx);
    if (ask.state !== 'open')
      throw new Problem(409, 'Closed already', `This task was closed${ask.closed_by ? ` by ${ask.closed_by}` : ''} already.`);
    await closeAsk(trx, id, { state: state === 'done' ? 'done' : 'failed', at: now, by, note: note || null, error: null });
    await recordAct(trx, now, by, 'task.closed', { id, state });
    if ((await lockPeople(trx, [ask.person_id])).size)
      await recordFor(trx, [
        {
          personId: ask.person_id,
          type: TASK_CLOSED,
          eventId: `${TASK_CLOSED}/${id}`,
          properties: { ...ask.about, done: state === 'done', by, note: note || null },
        },
      ]);
  });
}
