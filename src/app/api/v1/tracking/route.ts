import { readJson } from '@/server/http';
import { route, written } from '@/server/door';
import { writeTracking } from '@/server/sending';

export const dynamic = 'force-dynamic';
export const PUT = route(async ({ db, request, caller }) => written(await writeTracking(db, await readJson(request), caller.name), {}));
