import { json, route } from '@/server/http/route';
import { dropView } from '@/server/settings';

export const dynamic = 'force-dynamic';
export const DELETE = route(async ({ db, params }) => json(await dropView(db, params.id!)));
