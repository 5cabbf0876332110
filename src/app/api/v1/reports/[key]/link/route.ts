import { env } from '@/server/base';
import { route, written } from '@/server/door';
import { shareReport } from '@/server/reports';

export const dynamic = 'force-dynamic';
/** Shares the report by a link. */
export const POST = route(async ({ db, params, caller }) =>
  written(await shareReport(db, params.key!, true, caller.name, env().url), { key: params.key }),
);
/** Takes the link back: whoever has it reads nothing any more. */
export const DELETE = route(async ({ db, params, caller }) =>
  written(await shareReport(db, params.key!, false, caller.name, env().url), { key: params.key }),
);
