import { json, route } from '@/server/door';
import { predictions } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await predictions(db)));
