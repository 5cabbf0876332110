import { writeCard } from '@/server/cards';
import { route, written } from '@/server/door';
import { readJson } from '@/server/http';

export const dynamic = 'force-dynamic';
export const PUT = route(async ({ db, params, request, caller }) =>
  written(await writeCard(db, params.kind!, params.key!, await readJson(request), caller.name), { kind: params.kind!, key: params.key! }),
);
