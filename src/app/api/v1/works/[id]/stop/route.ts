import { json, route } from '@/server/http/route';
import { stopWork } from '@/server/work/work';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params }) => json(await stopWork(db, params.id!)));
