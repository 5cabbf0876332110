import { recipientsOf } from '@/server/broadcasts';
import { json, reportRoute } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = reportRoute(async ({ db, params, url }) => json(await recipientsOf(db, params.key!, url)));
