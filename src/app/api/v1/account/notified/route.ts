import { notified, setNotified } from '@/server/comments';
import { json, personAsking, route } from '@/server/door';
import { readJson } from '@/server/http';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, caller }) => json(await notified(db, personAsking(caller))), 'self');
export const PUT = route(
  async ({ db, request, caller }) => json(await setNotified(db, personAsking(caller), await readJson(request))),
  'self',
);
