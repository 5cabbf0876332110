import { LARGEST_RULE, readJson } from '@/server/http';
import { json, route } from '@/server/door';
import { namedInBacktest, startBacktest } from '@/server/work';

export const dynamic = 'force-dynamic';
export const GET = route(
  async ({ db, request }) => json({ people: await namedInBacktest(db, new URL(request.url).searchParams.get('people') ?? '') }),
  'read',
);
export const POST = route(async ({ db, request, params, caller }) =>
  json(await startBacktest(db, params.key!, await readJson(request, LARGEST_RULE), caller.name), 202),
);
