import { recipientsOf } from '@/server/broadcasts';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params, url }) => json(await recipientsOf(db, params.key!, url)));
