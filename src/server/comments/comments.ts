import type { CommentsView } from '@/core/api';
import { commentChange, commentInput, mentionsIn, SPOKEN_OF } from '@/core/comments';
import { addComment, dropComment, isThere, listComments, lockComment, rewordComment, settleComment, whoHears } from '@/data/comments';
import { inTransaction, type Db } from '@/data/db';
import { readStore, recordAct } from '@/data/store';
import type { SignedIn } from '../access';
import { notFound, oneOf, Problem, problemsOf } from '../http';
import { tellTeam } from './notices';

/** What was said of something: the oldest first, with who can be named. */
export async function commentsOf(db: Db, url: URL, user: SignedIn | null): Promise<CommentsView> {
  const kind = oneOf(url, 'kind', SPOKEN_OF);
  const key = (url.searchParams.get('key') ?? '').slice(0, 80);
  const [rows, team] = await Promise.all([listComments(db, kind, key), whoHears(db)]);
  return {
    comments: rows.map((row) => ({
      id: row.id,
      at: row.at.toISOString(),
      by: row.by_name,
      isYours: user !== null && row.by_id === user.userId,
      text: row.text,
      part: row.part,
      changedAt: row.changed_at?.toISOString() ?? null,
      done: row.done_at && { at: row.done_at.toISOString(), by: row.done_by ?? '' },
    })),
    team: team.map(({ name }) => name),
  };
}

/** Says something of a flow, a message, an offer or a segment. Whoever is named in it hears of it at once. */
export async function sayOf(db: Db, body: unknown, user: SignedIn, url: string): Promise<{ id: string }> {
  const parsed = commentInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a comment', 'Nothing was said.', problemsOf(parsed.error));
  const { kind, key, text } = parsed.data;
  const part = parsed.data.part ?? null;
  const id = await inTransaction(db, async (trx) => {
    if (!(await isThere(trx, kind, key))) throw notFound(`${kind} "${key.slice(0, 60)}"`);
    const { now } = await readStore(trx);
    const mentions = mentionsIn(
      text,
      (await whoHears(trx)).map(({ name }) => name),
    );
    const made = await addComment(trx, { kind, key, part, text, byId: user.userId, byName: user.name, at: now });
    await recordAct(trx, now, user.name, 'comment.added', {
      kind,
      key,
      ...(part && { part }),
      comment: made,
      mentions,
      text: text.slice(0, 200),
    });
    return made;
  });
  await tellTeam(db, url);
  return { id };
}

async function ownComment(trx: Parameters<typeof lockComment>[0], id: string) {
  const row = /^\d{1,18}$/.test(id) ? await lockComment(trx, id) : null;
  if (!row) throw notFound('comment');
  return row;
}

/** Rewords a comment of one's own, or settles one of anybody's, or opens it again. */
export async function changeComment(db: Db, id: string, body: unknown, user: SignedIn): Promise<void> {
  const parsed = commentChange.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a change', 'Nothing was changed.', problemsOf(parsed.error));
  await inTransaction(db, async (trx) => {
    const row = await ownComment(trx, id);
    const { now } = await readStore(trx);
    const { kind, key } = row;
    if ('isDone' in parsed.data) {
      await settleComment(trx, id, parsed.data.isDone ? user.name : null, now);
      await recordAct(trx, now, user.name, parsed.data.isDone ? 'comment.settled' : 'comment.opened', { kind, key, comment: id });
      return;
    }
    if (row.by_id !== user.userId) throw new Problem(403, 'Somebody else’s', 'Only who wrote a comment changes its words.');
    await rewordComment(trx, id, parsed.data.text, now);
    await recordAct(trx, now, user.name, 'comment.changed', {
      kind,
      key,
      comment: id,
      was: row.text.slice(0, 200),
      is: parsed.data.text.slice(0, 200),
    });
  });
}

/** Deletes a comment of one's own; an owner of the store may delete anybody's. */
export async function deleteComment(db: Db, id: string, user: SignedIn): Promise<void> {
  await inTransaction(db, async (trx) => {
    const row = await ownComment(trx, id);
    if (row.by_id !== user.userId && user.role !== 'owner')
      throw new Problem(403, 'Somebody else’s', 'Only who wrote a comment, or an owner of the store, deletes it.');
    await dropComment(trx, id);
    const { kind, key } = row;
    await recordAct(trx, (await readStore(trx)).now, user.name, 'comment.deleted', {
      kind,
      key,
      by: row.by_name,
      was: row.text.slice(0, 200),
    });
  });
}
