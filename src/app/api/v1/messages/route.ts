import { library } from '@/server/letters';

import { oneOf } from '@/server/http';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) =>
  json(await library(db, url.searchParams.has('kind') ? oneOf(url, 'kind', ['message', 'blocks'] as const) : null)),
);
