import { LARGEST_RULE, readJson } from '@/server/http';
import { json, route } from '@/server/door';
import { rehearse } from '@/server/rehearsal';

export const dynamic = 'force-dynamic';
export const POST = route(
  async ({ db, request, params }) => json(await rehearse(db, params.key!, await readJson(request, LARGEST_RULE))),
  'read',
);
