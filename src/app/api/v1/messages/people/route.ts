import { json, route } from '@/server/door';
import { tellingFor } from '@/server/letters';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) =>
  json({ people: await tellingFor(db, url.searchParams.get('event')?.slice(0, 100) || null) }),
);
