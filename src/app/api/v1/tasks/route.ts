import { json, route } from '@/server/door';
import { tasksView } from '@/server/asks';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) =>
  json(await tasksView(db, { state: url.searchParams.get('state'), owner: url.searchParams.get('owner') })),
);
