import { json, route } from '@/server/door';
import { stopWork } from '@/server/work';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params }) => json(await stopWork(db, params.id!)));
