import { LARGEST_RULE, readJson } from '@/server/http';
import { json, route } from '@/server/door';
import { rehearsalFacts, rehearse } from '@/server/rehearsal';

export const dynamic = 'force-dynamic';
export const GET = route(
  async ({ db, request, params }) => json(await rehearsalFacts(db, params.key!, new URL(request.url).searchParams.get('person'))),
  'read',
);
export const POST = route(
  async ({ db, request, params }) => json(await rehearse(db, params.key!, await readJson(request, LARGEST_RULE))),
  'read',
);
