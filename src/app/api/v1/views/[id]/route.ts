import { json, route } from '@/server/door';
import { dropView } from '@/server/store';

export const dynamic = 'force-dynamic';
export const DELETE = route(async ({ db, params }) => json(await dropView(db, params.id!)));
