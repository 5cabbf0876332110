import { json, route } from '@/server/door';
import { rejections } from '@/server/sources';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params, url }) => json(await rejections(db, params.key!, url)));
