import { json, reportRoute } from '@/server/door';
import { predictions } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = reportRoute(async ({ db }) => json(await predictions(db)));
