import { json, route } from '@/server/door';
import { work, workView } from '@/server/work';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(workView(await work(db, params.id!))));
