import { changeComment, deleteComment } from '@/server/comments';
import { personAsking, route, written } from '@/server/door';
import { readJson } from '@/server/http';

export const dynamic = 'force-dynamic';
export const PATCH = route(async ({ db, params, request, caller }) => {
  await changeComment(db, params.id!, await readJson(request), personAsking(caller));
  return written({ id: params.id! }, { id: params.id! });
});
export const DELETE = route(async ({ db, params, caller }) => {
  await deleteComment(db, params.id!, personAsking(caller));
  return written({ id: params.id! }, { id: params.id! });
});
