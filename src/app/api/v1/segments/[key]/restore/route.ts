import { route, written } from '@/server/door';
import { restoreSegment } from '@/server/people';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, caller }) =>
  written(await restoreSegment(db, params.key!, caller.name), { key: params.key }),
);
